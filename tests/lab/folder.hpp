// A folder of its own for a test, removed afterwards.
#pragma once

#include <stdlib.h>

#include <filesystem>
#include <string>
#include <utility>

#include "lab/formats/files.hpp"

class TestFolder {
  public:
    TestFolder() {
        std::string name = (std::filesystem::temp_directory_path() / "rare-tally-test-XXXXXX").string();
        path_ = ::mkdtemp(name.data());
    }
    ~TestFolder() {
        if (path_.empty()) return;
        std::error_code ignored;
        std::filesystem::permissions(path_, std::filesystem::perms::owner_all, ignored);
        std::filesystem::remove_all(path_, ignored);
    }
    TestFolder(TestFolder&& other) noexcept : path_(std::exchange(other.path_, {})) {}
    TestFolder& operator=(TestFolder&&) = delete;

    std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
    const std::filesystem::path& path() const { return path_; }
    std::filesystem::path write(const std::string& name, const std::string& content) const {
        rt::lab::make_folder((path_ / name).parent_path());
        rt::lab::write_file(path_ / name, content);
        return path_ / name;
    }

  private:
    std::filesystem::path path_;
};
