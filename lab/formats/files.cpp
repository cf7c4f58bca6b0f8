#include "lab/formats/files.hpp"

#include <fcntl.h>
#include <openssl/evp.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <memory>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "lab/formats/file_writer.hpp"

namespace rt::lab {
namespace {

// Closes itself; -1 is no file.
class Descriptor {
  public:
    explicit Descriptor(int fd) : fd_(fd) {}
    ~Descriptor() {
        if (fd_ >= 0) ::close(fd_);
    }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    int get() const { return fd_; }

  private:
    int fd_;
};

[[noreturn]] void fail_write(const std::filesystem::path& path) {
    throw Error(ErrorKind::output, path.string(), std::string("cannot be written: ") + std::strerror(errno));
}

// Where the last whole line of so many bytes ends; -1 when that cannot be read.
off_t end_of_lines(int file, off_t size) {
    std::string piece(4096, '\0');
    // The last byte alone tells of most files.
    for (off_t looked = 1; size > 0; looked = static_cast<off_t>(piece.size())) {
        looked = std::min(looked, size);
        const auto got = ::pread(file, piece.data(), static_cast<std::size_t>(looked), size - looked);
        if (got != looked) return -1;
        const auto newline = std::string_view(piece).substr(0, static_cast<std::size_t>(looked)).rfind('\n');
        if (newline != std::string_view::npos) return size - looked + static_cast<off_t>(newline) + 1;
        size -= looked;
    }
    return 0;
}

}  // namespace

std::string read_file(const std::filesystem::path& path) {
    const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    struct stat status {};
    if (file.get() < 0 || ::fstat(file.get(), &status) != 0) {
        fail_input(path.string(), std::string("cannot be read: ") + std::strerror(errno));
    }
    if (S_ISDIR(status.st_mode)) fail_input(path.string(), "is a folder, not a file");
    std::string content(static_cast<std::size_t>(status.st_size), '\0');
    std::size_t filled = 0;
    for (;;) {
        if (filled == content.size()) content.resize(content.size() + 65536);
        const auto got = ::read(file.get(), content.data() + filled, content.size() - filled);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0) fail_input(path.string(), std::string("cannot be read: ") + std::strerror(errno));
        if (got == 0) break;
        filled += static_cast<std::size_t>(got);
    }
    content.resize(filled);
    return content;
}

void write_file(const std::filesystem::path& path, std::string_view content) {
    FileWriter file(path);
    file.write(content);
    file.finish();
}

void append_line(const std::filesystem::path& path, std::string_view line) {
    const Descriptor file(::open(path.c_str(), O_RDWR | O_CREAT | O_APPEND | O_CLOEXEC, 0644));
    struct stat status {};
    if (file.get() < 0 || ::fstat(file.get(), &status) != 0) fail_write(path);
    const off_t begin = end_of_lines(file.get(), status.st_size);
    if (begin < 0 || (begin < status.st_size && ::ftruncate(file.get(), begin) != 0)) fail_write(path);
    const std::string whole = std::string(line) + "\n";
    // One write: a line is there or not, but for a power cut or a disk that is full in the middle of it.
    for (std::string_view left = whole; !left.empty();) {
        const auto wrote = ::write(file.get(), left.data(), left.size());
        if (wrote < 0 && errno == EINTR) continue;
        if (wrote < 0) {
            const int why = errno;
            [[maybe_unused]] const int half =
                ::ftruncate(file.get(), begin);  // the next line cuts it off too
            errno = why;
            fail_write(path);
        }
        left.remove_prefix(static_cast<std::size_t>(wrote));
    }
}

bool stays_inside(const std::filesystem::path& relative) {
    if (relative.empty() || relative.is_absolute()) return false;
    int depth = 0;
    for (const auto& part : relative) {
        depth += part == ".." ? -1 : part == "." ? 0 : 1;
        if (depth < 0) return false;
    }
    return depth > 0;
}

void make_folder(const std::filesystem::path& path) {
    std::error_code error;
    std::filesystem::create_directories(path, error);
    if (error) fail_input(path.string(), "cannot be made: " + error.message() + "; name another folder");
}

static std::string digest_of(std::string_view content, const EVP_MD* kind) {
    std::uint8_t digest[EVP_MAX_MD_SIZE];
    unsigned int length = 0;
    if (EVP_Digest(content.data(), content.size(), digest, &length, kind, nullptr) != 1) {
        throw Error(ErrorKind::internal, "", "hashes are not available");
    }
    return hexadecimal({digest, length});
}

std::string sha256(std::string_view content) {
    return digest_of(content, EVP_sha256());
}

std::string sha512(std::string_view content) {
    return digest_of(content, EVP_sha512());
}

static std::string digest_of_file(const std::filesystem::path& path, const EVP_MD* kind) {
    const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    const auto fail = [&] {
        fail_input(path.string(), std::string("cannot be read: ") + std::strerror(errno));
    };
    if (file.get() < 0) fail();
    const std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> state(EVP_MD_CTX_new(), EVP_MD_CTX_free);
    EVP_DigestInit_ex(state.get(), kind, nullptr);
    constexpr std::size_t most = 1 << 20;
    const auto piece = std::make_unique_for_overwrite<char[]>(most);
    for (;;) {
        const auto got = ::read(file.get(), piece.get(), most);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0) fail();
        if (got == 0) break;
        EVP_DigestUpdate(state.get(), piece.get(), static_cast<std::size_t>(got));
    }
    std::uint8_t digest[EVP_MAX_MD_SIZE];
    unsigned int length = 0;
    EVP_DigestFinal_ex(state.get(), digest, &length);
    return hexadecimal({digest, length});
}

std::string sha256_of_file(const std::filesystem::path& path) {
    return digest_of_file(path, EVP_sha256());
}

std::string sha512_of_file(const std::filesystem::path& path) {
    return digest_of_file(path, EVP_sha512());
}

std::string from_base64(std::string_view text) {
    if (text.size() % 4 != 0) return {};
    std::string out(text.size() / 4 * 3, '\0');
    const int size =
        EVP_DecodeBlock(reinterpret_cast<unsigned char*>(out.data()),
                        reinterpret_cast<const unsigned char*>(text.data()), static_cast<int>(text.size()));
    if (size < 0) return {};
    out.resize(static_cast<std::size_t>(size));
    // What fills up the last four characters stands for no bytes.
    for (std::size_t i = text.size(); i > 0 && text[i - 1] == '='; --i) out.pop_back();
    return out;
}

std::string base64(std::string_view content) {
    std::string out((content.size() + 2) / 3 * 4 + 1, '\0');
    const int length = EVP_EncodeBlock(reinterpret_cast<unsigned char*>(out.data()),
                                       reinterpret_cast<const unsigned char*>(content.data()),
                                       static_cast<int>(content.size()));
    out.resize(static_cast<std::size_t>(length));
    return out;
}

}  // namespace rt::lab
