// The dialects that come with the program.
#pragma once

#include <algorithm>
#include <vector>

#include "cli/command.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/input_files.hpp"

namespace rt::cli {

// In the order of their ids.
inline std::vector<Dialect> shipped_dialects() {
    const auto folder = share_folder() / "dialects";
    const DiskFiles files(folder);
    std::vector<std::filesystem::path> paths;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        if (entry.path().extension() == ".toml") paths.push_back(entry.path());
    }
    std::sort(paths.begin(), paths.end());
    std::vector<Dialect> out;
    for (const auto& path : paths) out.push_back(read_dialect(path, &files));
    return out;
}

}  // namespace rt::cli
