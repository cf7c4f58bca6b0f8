#include "lab/session/device_session.hpp"

#include <fcntl.h>
#include <linux/usb/tmc.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstring>
#include <thread>

#include "core/base/error.hpp"

namespace rt::lab {

using std::chrono::milliseconds;

DeviceSession::DeviceSession(const std::string& path, milliseconds timeout)
    : Session("instrument at " + path),
      file_(::open(path.c_str(), O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC)),
      timeout_(timeout) {
    if (file_ < 0) fail("opening the device");
    auto longest = static_cast<std::uint32_t>(timeout.count());
    std::uint32_t before = 0;
    usbtmc_ = ::ioctl(file_, USBTMC_IOCTL_GET_TIMEOUT, &before) == 0;
    if (usbtmc_) ::ioctl(file_, USBTMC_IOCTL_SET_TIMEOUT, &longest);
}

DeviceSession::~DeviceSession() {
    ::close(file_);
}

void DeviceSession::fail(const char* doing) const {
    fail_bench(peer() + ": " + std::strerror(errno) + " (" + doing + ")");
}

// Devices without poll() say that they are always ready; their driver then bounds the wait.
bool DeviceSession::wait(short what, milliseconds timeout, const char* doing) const {
    pollfd entry{file_, what, 0};
    const int ready = ::poll(&entry, 1, static_cast<int>(timeout.count()));
    if (ready < 0 && errno != EINTR) fail(doing);
    return ready != 0;
}

void DeviceSession::clear() {
    forget();
    if (usbtmc_ && ::ioctl(file_, USBTMC_IOCTL_CLEAR) != 0) fail("clearing it");
}

std::optional<int> DeviceSession::status() {
    unsigned char status = 0;
    if (!usbtmc_ || ::ioctl(file_, USBTMC488_IOCTL_READ_STB, &status) != 0) return std::nullopt;
    return status;
}

// The driver for USBTMC does not say when something can be read: bit 4 of the status byte does (MAV, IEEE
// 488.2, 6.1.10.2).
bool DeviceSession::answers(milliseconds timeout) {
    if (has_kept()) return true;
    if (!usbtmc_) return wait(POLLIN, timeout, "waiting for an answer");
    constexpr int available = 0x10;
    const auto deadline = std::chrono::steady_clock::now() + timeout;
    for (;;) {
        const auto now = status();
        if (!now || (*now & available)) return true;
        if (std::chrono::steady_clock::now() >= deadline) return false;
        std::this_thread::sleep_for(milliseconds(5));
    }
}

void DeviceSession::to_local() {
    if (usbtmc_) ::ioctl(file_, USBTMC488_IOCTL_GOTO_LOCAL);
}

void DeviceSession::trigger() {
    if (!usbtmc_) return Session::trigger();
    if (::ioctl(file_, USBTMC488_IOCTL_TRIGGER) != 0) fail("triggering it");
}

void DeviceSession::write(std::string_view bytes) {
    while (!bytes.empty()) {
        if (!wait(POLLOUT, timeout_, "sending")) fail_timeout(timeout_, "sending");
        const auto count = ::write(file_, bytes.data(), bytes.size());
        if (count < 0 && (errno == EAGAIN || errno == EINTR)) continue;
        if (count < 0) fail("sending");
        bytes.remove_prefix(static_cast<std::size_t>(count));
    }
}

std::string DeviceSession::read_some(milliseconds timeout, const char* doing) {
    const auto deadline = std::chrono::steady_clock::now() + timeout;
    std::string chunk(65536, '\0');
    for (;;) {
        const auto left =
            std::chrono::duration_cast<milliseconds>(deadline - std::chrono::steady_clock::now());
        if (left.count() <= 0 || !wait(POLLIN, left, doing)) return {};
        const auto count = ::read(file_, chunk.data(), chunk.size());
        if (count < 0 && (errno == EAGAIN || errno == EINTR)) continue;
        if (count < 0 && errno == ETIMEDOUT) return {};
        if (count < 0) fail(doing);
        if (count == 0) fail_closed(doing);
        chunk.resize(static_cast<std::size_t>(count));
        return chunk;
    }
}

}  // namespace rt::lab
