#include "lab/formats/file_writer.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

#include "core/base/error.hpp"

namespace rt::lab {

FileWriter::FileWriter(const std::filesystem::path& path) : path_(path), part_(path.string() + ".part") {
    file_ = ::open(part_.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (file_ < 0) fail();
}

FileWriter::~FileWriter() {
    if (file_ < 0) return;
    ::close(file_);
    ::unlink(part_.c_str());
}

void FileWriter::write(std::string_view text) {
    constexpr std::size_t most = 1 << 18;
    if (held_.size() + text.size() < most) {
        held_ += text;
        return;
    }
    put(held_);
    held_.clear();
    put(text);
}

void FileWriter::finish() {
    put(held_);
    held_.clear();
    if (::fsync(file_) != 0) fail();
    const int file = std::exchange(file_, -1);
    if (::close(file) != 0 || ::rename(part_.c_str(), path_.c_str()) != 0) {
        const int reason = errno;
        ::unlink(part_.c_str());
        errno = reason;
        fail();
    }
}

void FileWriter::put(std::string_view text) {
    while (!text.empty()) {
        const auto wrote = ::write(file_, text.data(), text.size());
        if (wrote < 0 && errno == EINTR) continue;
        if (wrote < 0) fail();
        text.remove_prefix(static_cast<std::size_t>(wrote));
    }
}

void FileWriter::fail() {
    throw Error(ErrorKind::output, path_.string(), std::string("cannot be written: ") + std::strerror(errno));
}

}  // namespace rt::lab
