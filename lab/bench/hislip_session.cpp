#include "lab/bench/hislip_session.hpp"

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

Header HislipSession::await(Type type, std::string* text) {
    for (;;) {
        const Header header = read_header(async_, timeout_);
        std::string body = payload(async_, header, timeout_);
        if (header.type == Type::async_service_request) requested_ = true;
        if (header.type != type) continue;
        if (text) *text = std::move(body);
        return header;
    }
}

void HislipSession::write(std::string_view bytes) {
    forget();  // an answer that nobody has read by now belongs to an earlier message
    while (!bytes.empty()) {
        const std::size_t most =
            static_cast<std::size_t>(std::min<std::uint64_t>(largest_, 1 << 20)) - hislip::header_size;
        const auto part = bytes.substr(0, most);
        bytes.remove_prefix(part.size());
        last_id_ = next_id_;
        next_id_ += 2;
        sync_.write(hislip::message(bytes.empty() ? Type::data_end : Type::data,
                                    std::exchange(delivered_, false) ? 1 : 0, last_id_, part));
    }
}

std::string HislipSession::read_some(milliseconds timeout, const char*) {
    for (;;) {
        const Header header = read_header(sync_, timeout);
        std::string body = payload(sync_, header, timeout);
        if (header.type != Type::data && header.type != Type::data_end) continue;
        // The answer to an earlier message that nobody read.
        if (header.parameter != last_id_ && header.parameter != 0xffffffff) continue;
        if (header.type == Type::data_end) {
            delivered_ = true;
            message_ends();
        } else if (body.empty()) {
            continue;
        }
        return body;
    }
}

void HislipSession::clear() {
    async_.write(hislip::message(Type::async_device_clear, 0, 0));
    await(Type::async_device_clear_acknowledge);
    sync_.write(hislip::message(Type::device_clear_complete, 0, 0));
    for (;;) {
        const Header header = read_header(sync_, timeout_);
        payload(sync_, header, timeout_);
        if (header.type == Type::device_clear_acknowledge) break;
    }
    next_id_ = hislip::first_message_id;
    delivered_ = false;
    forget();
}

std::optional<int> HislipSession::status() {
    async_.write(hislip::message(Type::async_status_query, delivered_ ? 1 : 0, last_id_));
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
