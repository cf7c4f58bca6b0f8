#include "lab/formats/zip_archive.hpp"

#include <archive.h>
#include <archive_entry.h>

#include "core/base/error.hpp"

namespace rt::lab {

namespace fs = std::filesystem;

std::vector<ZipEntry> read_zip(std::string_view bytes, const std::string& file) {
    constexpr std::size_t most = 256'000'000;
    const std::unique_ptr<archive, decltype(&archive_read_free)> in(archive_read_new(), archive_read_free);
    const auto fail = [&](const std::string& what) {
        const char* why = archive_error_string(in.get());
        fail_input(file, what + (why ? std::string(": ") + why : ""));
    };
    archive_read_support_format_zip(in.get());
    if (archive_read_open_memory(in.get(), bytes.data(), bytes.size()) != ARCHIVE_OK)
        fail("is no ZIP archive");
    std::vector<ZipEntry> out;
    std::size_t size = 0;
    archive_entry* entry = nullptr;
    for (;;) {
        const int code = archive_read_next_header(in.get(), &entry);
        if (code == ARCHIVE_EOF) break;
        if (code != ARCHIVE_OK && code != ARCHIVE_WARN)
            fail(out.empty() ? "is no ZIP archive" : "is damaged");
        const char* name = archive_entry_pathname(entry);
        if (archive_entry_filetype(entry) != AE_IFREG) continue;
        ZipEntry one{name ? name : "", {}};
        char part[65536];
        for (;;) {
            const auto got = archive_read_data(in.get(), part, sizeof part);
            if (got < 0) fail(one.name + " is damaged");
            if (got == 0) break;
            size += static_cast<std::size_t>(got);
            if (size > most) fail_input(file, "unpacks to more than 256 MB");
            one.content.append(part, static_cast<std::size_t>(got));
        }
        out.push_back(std::move(one));
    }
    if (out.empty()) fail_input(file, "is no ZIP archive, or an empty one");
    return out;
}

ZipFile::ZipFile(const fs::path& file) : file_(file), half_(file) {
    half_ += ".part";
    handle_.reset(archive_write_new());
    check(archive_write_set_format_zip(handle_.get()));
    check(archive_write_open_filename(handle_.get(), half_.c_str()));
}

ZipFile::~ZipFile() {
    std::error_code ignored;
    handle_.reset();
    fs::remove(half_, ignored);
}

void ZipFile::Free::operator()(archive* a) const {
    archive_write_free(a);
}

void ZipFile::add(const std::string& name, const std::string& content, bool stored) {
    const std::unique_ptr<archive_entry, decltype(&archive_entry_free)> entry(archive_entry_new(),
                                                                              archive_entry_free);
    archive_entry_set_pathname_utf8(entry.get(), name.c_str());
    archive_entry_set_size(entry.get(), static_cast<la_int64_t>(content.size()));
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    archive_entry_set_perm(entry.get(), 0644);
    check(stored ? archive_write_zip_set_compression_store(handle_.get())
                 : archive_write_zip_set_compression_deflate(handle_.get()));
    check(archive_write_header(handle_.get(), entry.get()));
    if (archive_write_data(handle_.get(), content.data(), content.size()) !=
        static_cast<la_ssize_t>(content.size()))
        check(ARCHIVE_FATAL);
}

void ZipFile::finish() {
    check(archive_write_close(handle_.get()));
    std::error_code error;
    fs::rename(half_, file_, error);
    if (error) throw Error(ErrorKind::output, file_.string(), "cannot be written: " + error.message());
}

void ZipFile::check(int code) const {
    if (code == ARCHIVE_OK || code == ARCHIVE_WARN) return;
    const char* why = archive_error_string(handle_.get());
    throw Error(ErrorKind::output, file_.string(),
                std::string("cannot be written: ") + (why ? why : "no reason given"));
}

}  // namespace rt::lab
