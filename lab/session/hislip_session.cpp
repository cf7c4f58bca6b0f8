#include "lab/session/hislip_session.hpp"

#include <algorithm>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

using hislip::Header;
using hislip::Type;
using std::chrono::milliseconds;

HislipSession::HislipSession(const std::string& host, const std::string& port, const std::string& name,
                             milliseconds timeout)
    : Session("instrument at " + host + ":" + port + " (HiSLIP)"),
      timeout_(timeout),
      sync_(host, port, timeout),
      async_(host, port, timeout) {
    constexpr std::uint32_t vendor = 'R' << 8 | 'T';
    sync_.write(hislip::message(Type::initialize, 0, hislip::protocol_version << 16 | vendor, name));
    const Header answer = read_header(sync_, timeout);
    payload(sync_, answer, timeout);
    if (answer.type != Type::initialize_response) fail_bench(peer() + " does not answer Initialize");
    // The bit has a meaning from 2.0 on.
    if (answer.parameter >> 16 >= 0x0200 && (answer.control & hislip::encryption_mandatory))
        fail_bench(peer() + " insists on encryption, which is not supported: allow plain sessions there");
    async_.write(hislip::message(Type::async_initialize, 0, answer.parameter & 0xffff));
    await(Type::async_initialize_response);
    std::string size;
    hislip::put(size, std::uint64_t{64} << 20, 8);
    async_.write(hislip::message(Type::async_maximum_message_size, 0, 0, size));
    std::string theirs;
    await(Type::async_maximum_message_size_response, &theirs);
    if (theirs.size() == 8) largest_ = hislip::take(theirs, 0, 8);
    if (largest_ < 64)
        fail_bench(peer() + " takes no messages: at most " + std::to_string(largest_) + " bytes");
    overlapped_ = answer.control & hislip::overlapped;
    // The mode is agreed on by a device clear (IVI-6.1, 6.12).
    if (overlapped_) clear();
}

void HislipSession::name_peer(const std::string& role) {
    Session::name_peer(role);
    sync_.name_peer(role);
    async_.name_peer(role);
}

Header HislipSession::read_header(TcpSession& channel, milliseconds timeout) const {
    Header header;
    if (!hislip::parse(channel.read_exactly(hislip::header_size, timeout), header)) {
        fail_bench(peer() + " sent something that is no HiSLIP message");
    }
    if (header.type == Type::fatal_error || header.type == Type::error) {
        fail_bench(peer() + ": HiSLIP error " + std::to_string(header.control) + " " +
                   in_quotes(payload(channel, header, timeout)));
    }
    return header;
}

std::string HislipSession::payload(TcpSession& channel, const Header& header, milliseconds timeout) const {
    return header.length == 0 ? "" : channel.read_exactly(header.length, timeout);
}

Header HislipSession::await(Type type, std::string* text, milliseconds more) {
    for (;;) {
        const Header header = read_header(async_, timeout_ + more);
        std::string body = payload(async_, header, timeout_);
        if (header.type == Type::async_service_request) requested_ = true;
        if (header.type != type) continue;
        if (text) *text = std::move(body);
        return header;
    }
}

void HislipSession::write(std::string_view bytes) {
    if (std::exchange(late_, false)) clear();
    forget();  // an answer that nobody has read by now belongs to an earlier message
    if (open_ > 0) sync_.read_exactly(static_cast<std::size_t>(std::exchange(open_, 0)), timeout_);
    while (!bytes.empty()) {
        const std::size_t most =
            static_cast<std::size_t>(std::min<std::uint64_t>(largest_, 1 << 20)) - hislip::header_size;
        const auto part = bytes.substr(0, most);
        bytes.remove_prefix(part.size());
        const std::uint8_t flags = end_flags();
        sync_.write(
            hislip::message(bytes.empty() ? Type::data_end : Type::data, flags, next_message(), part));
    }
}

std::uint32_t HislipSession::next_message() {
    last_id_ = next_id_;
    next_id_ += 2;
    return last_id_;
}

void HislipSession::trigger() {
    const std::uint8_t flags = end_flags();
    sync_.write(hislip::message(Type::trigger, flags, next_message()));
}

// Zero waiting is not asked for: a server may take its time for a lock that is free.
void HislipSession::lock(const std::string& key, milliseconds timeout) {
    async_.write(hislip::message(Type::async_lock, hislip::lock_request,
                                 static_cast<std::uint32_t>(timeout.count()), key));
    const Header answer = await(Type::async_lock_response, nullptr, timeout);
    locked_ = answer.control == 1;
    if (locked_) return;
    if (answer.control == 0) fail_bench(peer() + " is locked by somebody else");
    fail_bench(peer() + " refuses the lock");
}

void HislipSession::unlock() {
    if (!std::exchange(locked_, false)) return;
    async_.write(hislip::message(Type::async_lock, hislip::lock_release, last_id_));
    await(Type::async_lock_response);
}

void HislipSession::to_local() {
    async_.write(hislip::message(Type::async_remote_local_control, hislip::go_to_local, last_id_));
    await(Type::async_remote_local_response);
}

// Of the message sent last: what belongs to an earlier one is passed over.
bool HislipSession::answers(milliseconds timeout) {
    if (!has_kept()) keep(read_some(timeout, "waiting for an answer"));
    return has_kept();
}

bool HislipSession::open_message(milliseconds timeout) {
    const auto deadline = std::chrono::steady_clock::now() + timeout;
    for (;;) {
        const auto left =
            std::chrono::duration_cast<milliseconds>(deadline - std::chrono::steady_clock::now());
        if (!sync_.answers(std::max(left, milliseconds(0)))) {
            // In overlapped mode nothing tells a late answer from the next one: a device clear does away with
            // it.
            late_ = overlapped_;
            return false;
        }
        const Header header = read_header(sync_, timeout);
        const bool data = header.type == Type::data || header.type == Type::data_end;
        // The answer to an earlier message that nobody read. In overlapped mode answers are counted by
        // themselves.
        const bool ours = overlapped_ || header.parameter == last_id_ || header.parameter == 0xffffffff;
        if (!data || !ours) {
            payload(sync_, header, timeout);
            continue;
        }
        open_ = header.length;
        last_ = header.type == Type::data_end;
        if (open_ == 0 && !last_) continue;
        if (open_ == 0) delivered_ = true, message_ends();  // nothing but the end
        return true;
    }
}

std::string HislipSession::read_some(milliseconds timeout, const char* doing) {
    if (open_ == 0 && !open_message(timeout)) return {};
    if (open_ == 0) return {};
    constexpr std::uint64_t part = 1 << 16;
    std::string out(static_cast<std::size_t>(std::min(open_, part)), '\0');
    out.resize(read_into(out.data(), out.size(), timeout, doing));
    return out;
}

// What of the open message fits.
std::size_t HislipSession::read_into(char* place, std::size_t count, milliseconds timeout, const char*) {
    if (open_ == 0 && !open_message(timeout)) return 0;
    if (open_ == 0) return 0;
    const auto most = static_cast<std::size_t>(std::min<std::uint64_t>(open_, count));
    sync_.read_exactly_into(place, most, timeout);
    open_ -= most;
    if (open_ == 0 && last_) {
        delivered_ = true;
        message_ends();
    }
    return most;
}

void HislipSession::clear() {
    if (open_ > 0) sync_.read_exactly(static_cast<std::size_t>(std::exchange(open_, 0)), timeout_);
    async_.write(hislip::message(Type::async_device_clear, 0, 0));
    await(Type::async_device_clear_acknowledge);
    sync_.write(hislip::message(Type::device_clear_complete, 0, 0));
    for (;;) {
        const Header header = read_header(sync_, timeout_);
        payload(sync_, header, timeout_);
        if (header.type != Type::device_clear_acknowledge) continue;
        overlapped_ = header.control & hislip::overlapped;
        break;
    }
    next_id_ = hislip::first_message_id;
    delivered_ = false;
    open_ = 0;
    forget();
    late_ = false;
}

std::optional<int> HislipSession::status() {
    async_.write(hislip::message(Type::async_status_query, delivered_ && !overlapped_ ? 1 : 0, last_id_));
    return await(Type::async_status_response).control;
}

bool HislipSession::service_requested() {
    while (async_.readable()) {
        const Header header = read_header(async_, timeout_);
        payload(async_, header, timeout_);
        if (header.type == Type::async_service_request) requested_ = true;
    }
    return std::exchange(requested_, false);
}

}  // namespace rt::lab
