#include "lab/session/session.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/session/abort.hpp"
#include "lab/session/device_session.hpp"
#include "lab/session/gpib_session.hpp"
#include "lab/session/hislip_session.hpp"
#include "lab/session/serial_session.hpp"
#include "lab/session/tcp_session.hpp"
#include "lab/session/usbtmc_session.hpp"
#include "lab/session/vxi11_session.hpp"

namespace rt::lab {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

static constexpr std::size_t most_bytes = std::size_t{64} << 20;

void Session::name_peer(const std::string& role) {
    constexpr std::string_view first = "instrument at ";
    if (peer_.starts_with(first)) peer_ = role + " at " + peer_.substr(first.size());
}

void Session::fail_timeout(milliseconds timeout, const char* doing) const {
    fail_bench(peer_ + " did not answer within " + exact(static_cast<double>(timeout.count()) / 1000) +
               " s (" + doing + ")");
}

void Session::fail_closed(const char* doing) const {
    fail_bench(peer_ + " closed the connection (" + doing + ")");
}

void Session::await(steady_clock::time_point deadline) {
    if (!Abortable::here()) return;
    Abortable::heed();
    if (!looks_only()) return;
    constexpr milliseconds part(100);
    for (;;) {
        const auto left = std::chrono::duration_cast<milliseconds>(deadline - steady_clock::now());
        if (left.count() <= 0 || answers(std::min(left, part))) return;
        Abortable::heed();
    }
}

void Session::read_more(steady_clock::time_point deadline, milliseconds timeout, const char* doing) {
    await(deadline);
    const auto left = std::chrono::duration_cast<milliseconds>(deadline - steady_clock::now());
    if (left.count() < 0) fail_timeout(timeout, doing);
    ends_ = false;
    std::string more = read_some(std::max(left, milliseconds(1)), doing);
    if (more.empty() && !ends_) fail_timeout(timeout, doing);
    if (at_ == buffer_.size()) {
        buffer_ = std::move(more);
        at_ = 0;
    } else {
        buffer_ += more;
    }
}

// The first bytes of what was read; what is taken stays in front until all is.
std::string Session::take(std::size_t count) {
    std::string out =
        at_ == 0 && count == buffer_.size() ? std::exchange(buffer_, {}) : buffer_.substr(at_, count);
    at_ += out.size();
    if (at_ >= buffer_.size()) buffer_.clear(), at_ = 0;
    return out;
}

std::string Session::read_until(char end, milliseconds timeout) {
    const auto deadline = steady_clock::now() + timeout;
    while (marks_ends() && !ends_) {
        if (kept() > most_bytes) fail_bench(peer_ + " sent an endless answer");
        read_more(deadline, timeout, "waiting for an answer");
    }
    if (marks_ends()) {
        std::string line = take(kept());
        ends_ = false;
        if (line.ends_with(end)) line.pop_back();
        answered();
        return line;
    }
    for (std::size_t searched = 0;;) {
        const auto found = buffer_.find(end, at_ + searched);
        if (found != std::string::npos) {
            std::string line = take(found - at_ + 1);
            line.pop_back();
            answered();
            return line;
        }
        if (ends_) {
            answered();
            return take(kept());
        }
        if (kept() > most_bytes) fail_bench(peer_ + " sent an endless answer");
        searched = kept();
        read_more(deadline, timeout, "waiting for an answer");
    }
}

std::string Session::take_what_came(milliseconds timeout) {
    if (kept() == 0) return read_some(timeout, "waiting for an answer");
    return take(kept());
}

std::size_t Session::take_what_came(char* place, std::size_t count, milliseconds timeout) {
    if (kept() == 0) return read_into(place, count, timeout, "waiting for data");
    const std::string there = take(std::min(count, kept()));
    std::copy_n(there.data(), there.size(), place);
    return there.size();
}

std::size_t Session::read_into(char* place, std::size_t count, milliseconds timeout, const char* doing) {
    const std::string more = read_some(timeout, doing);
    const std::size_t fits = std::min(count, more.size());
    std::copy_n(more.data(), fits, place);
    buffer_.assign(more, fits);
    at_ = 0;
    return fits;
}

void Session::read_exactly_into(char* place, std::size_t count, milliseconds timeout) {
    const auto deadline = steady_clock::now() + timeout;
    std::size_t have = std::min(count, kept());
    std::copy_n(buffer_.data() + at_, have, place);
    at_ += have;
    if (at_ >= buffer_.size()) buffer_.clear(), at_ = 0;
    while (have < count) {
        if (ends_) fail_bench(fmt::format("{} ended its message after {} of {} bytes", peer_, have, count));
        await(deadline);
        const auto left = std::chrono::duration_cast<milliseconds>(deadline - steady_clock::now());
        if (left.count() < 0) fail_timeout(timeout, "waiting for data");
        const std::size_t more =
            read_into(place + have, count - have, std::max(left, milliseconds(1)), "waiting for data");
        if (more == 0 && !ends_) fail_timeout(timeout, "waiting for data");
        have += more;
    }
}

std::string Session::read_exactly(std::size_t count, milliseconds timeout) {
    if (count > most_bytes) {
        fail_bench(peer_ + " announced " + std::to_string(count) + " bytes, too many");
    }
    if (kept() >= count) return take(count);
    std::string bytes(count, '\0');
    read_exactly_into(bytes.data(), count, timeout);
    return bytes;
}

void Session::lock(const std::string&, milliseconds) {
    fail_bench(peer_ + ": an instrument cannot be locked over this kind of connection");
}

void Session::trigger() {
    fail_bench(peer_ + ": this kind of connection has no trigger");
}

std::unique_ptr<Session> open_session(const Address& address, milliseconds timeout) {
    switch (address.kind) {
        case Address::Kind::tcp:
            return std::make_unique<TcpSession>(address.host, address.port, timeout);
        case Address::Kind::hislip:
            return std::make_unique<HislipSession>(address.host, address.port, address.name, timeout);
        case Address::Kind::serial:
            return std::make_unique<SerialSession>(address, timeout);
        case Address::Kind::device:
            return std::make_unique<DeviceSession>(address.path, timeout);
        case Address::Kind::vxi11:
            return std::make_unique<Vxi11Session>(address.host, address.port, address.name, timeout);
        case Address::Kind::usb:
            return std::make_unique<UsbtmcSession>(open_usb(address, timeout), timeout);
        case Address::Kind::gpib:
            return std::make_unique<GpibSession>(address, timeout);
        default:
            break;
    }
    fail_input("an address " + in_quotes(address.text) + " has nobody to talk to");
}

}  // namespace rt::lab
