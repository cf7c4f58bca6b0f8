// demo and draft begin by copying shipped files.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/formats/files.hpp"

namespace rt::cli {

// Copies `names` from `from` to `to`; never over an existing file.
inline void copy_shipped(const std::filesystem::path& from, const std::filesystem::path& to,
                         const std::vector<std::string>& names) {
    make_folder(to);
    for (const auto& name : names) {
        if (std::filesystem::exists(to / name)) {
            fail_input((to / name).string(), "exists already and is never overwritten: name another folder");
        }
    }
    for (const auto& name : names) {
        make_folder((to / name).parent_path());
        write_file(to / name, read_file(from / name));
    }
}

}  // namespace rt::cli
