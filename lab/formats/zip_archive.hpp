// ZIP archives in memory: documents of office programs, evidence.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

struct archive;

namespace rt::lab {

struct ZipEntry {
    std::string name, content;
};

// Throws Error(input) for what is no ZIP archive, is damaged, or unpacks to more than 256 MB.
std::vector<ZipEntry> read_zip(std::string_view bytes, const std::string& file);

// Written beside its final name, which it takes when it is whole. Errors are of kind output.
class ZipFile {
  public:
    explicit ZipFile(const std::filesystem::path& file);
    ~ZipFile();
    ZipFile(const ZipFile&) = delete;
    ZipFile& operator=(const ZipFile&) = delete;

    // `stored`: as it is, not compressed.
    void add(const std::string& name, const std::string& content, bool stored = false);
    void finish();

  private:
    struct Free {
        void operator()(archive* a) const;
    };
    void check(int code) const;
    std::filesystem::path file_, half_;
    std::unique_ptr<archive, Free> handle_;
};

}  // namespace rt::lab
