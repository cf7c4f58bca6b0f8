#include "lab/session/connect.hpp"

#include <fcntl.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <memory>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

OpenFile::~OpenFile() {
    if (file_ >= 0) ::close(file_);
}

OpenFile& OpenFile::operator=(OpenFile&& other) noexcept {
    std::swap(file_, other.file_);
    return *this;
}

int OpenFile::release() {
    return std::exchange(file_, -1);
}

int connect_tcp(const std::string& host, const std::string& port, std::chrono::milliseconds timeout,
                const std::string& peer) {
    addrinfo hints{};
    hints.ai_socktype = SOCK_STREAM;
    addrinfo* list = nullptr;
    if (const int error = ::getaddrinfo(host.c_str(), port.c_str(), &hints, &list); error != 0)
        fail_bench(peer + ": the host name is not known (" + ::gai_strerror(error) + ")");
    const std::unique_ptr<addrinfo, decltype(&::freeaddrinfo)> held(list, &::freeaddrinfo);
    int trouble = 0;
    for (const addrinfo* at = list; at; at = at->ai_next) {
        OpenFile socket(::socket(at->ai_family, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
        if (!socket) continue;
        trouble = ::connect(socket.get(), at->ai_addr, at->ai_addrlen) == 0 ? 0 : errno;
        if (trouble == EINPROGRESS) {
            pollfd entry{socket.get(), POLLOUT, 0};
            if (::poll(&entry, 1, static_cast<int>(timeout.count())) <= 0) {
                fail_bench(peer + " did not answer within " +
                           exact(static_cast<double>(timeout.count()) / 1000) + " s (connecting)");
            }
            socklen_t size = sizeof trouble;
            ::getsockopt(socket.get(), SOL_SOCKET, SO_ERROR, &trouble, &size);
        }
        if (trouble != 0) continue;
        const int one = 1;
        ::setsockopt(socket.get(), IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
        ::fcntl(socket.get(), F_SETFL, ::fcntl(socket.get(), F_GETFL) & ~O_NONBLOCK);
        return socket.release();
    }
    fail_bench(peer + ": " + std::strerror(trouble) + " (connecting)");
}

}  // namespace rt::lab
