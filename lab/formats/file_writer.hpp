// A long file written piece by piece: it is there whole, or not at all.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

namespace rt::lab {

class FileWriter {
  public:
    // Throws Error(output) where nothing can be written.
    explicit FileWriter(const std::filesystem::path& path);
    // Without finish() nothing is left.
    ~FileWriter();
    FileWriter(const FileWriter&) = delete;
    FileWriter& operator=(const FileWriter&) = delete;

    // Throws Error(output) when the disk is full.
    void write(std::string_view text);
    // On the disk, under its name.
    void finish();
    const std::filesystem::path& path() const { return path_; }

  private:
    void put(std::string_view text);
    [[noreturn]] void fail();

    std::filesystem::path path_;
    std::string part_, held_;
    int file_ = -1;
};

}  // namespace rt::lab
