#include "lab/session/usbtmc_session.hpp"

#include <algorithm>
#include <thread>
#include <utility>

#include "core/base/error.hpp"

namespace rt::lab {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

namespace {

constexpr std::size_t largest = std::size_t{1} << 20;
constexpr char end_of_message = 1;

int status_of(const std::string& answer) {
    return answer.empty() ? int{usbtmc::failed} : static_cast<unsigned char>(answer[0]);
}

}  // namespace

UsbtmcSession::UsbtmcSession(std::unique_ptr<UsbPipe> pipe, milliseconds timeout)
    : Session(pipe->name()), pipe_(std::move(pipe)), timeout_(timeout) {
    // Devices without this capability refuse it: they are always remote.
    pipe_->control({UsbPipe::Target::interface, usbtmc::remote_enable, 1, 1}, timeout_);
}

std::uint8_t UsbtmcSession::next_tag() {
    tag_ = static_cast<std::uint8_t>(tag_ == 255 ? 1 : tag_ + 1);
    return tag_;
}

void UsbtmcSession::write(std::string_view bytes) {
    forget();
    while (!bytes.empty()) {
        const auto part = bytes.substr(0, largest);
        bytes.remove_prefix(part.size());
        const auto head =
            usbtmc::head(usbtmc::message_out, next_tag(), static_cast<std::uint32_t>(part.size()),
                         bytes.empty() ? end_of_message : 0);
        if (!pipe_->out(usbtmc::padded(head + std::string(part)), timeout_))
            fail_timeout(timeout_, "sending");
    }
}

// USBTMC 3.3.1: a message is asked for, and comes behind a head of its own.
std::optional<std::string> UsbtmcSession::read_once(milliseconds timeout, const char* doing) {
    const std::uint8_t tag = next_tag();
    if (!pipe_->out(usbtmc::head(usbtmc::request_in, tag, static_cast<std::uint32_t>(largest), 0), timeout_))
        fail_timeout(timeout_, doing);
    const auto deadline = steady_clock::now() + timeout;
    std::string got = pipe_->in(largest + usbtmc::head_size, timeout);
    if (got.empty()) {
        abort_in(tag);
        return std::nullopt;
    }
    if (got.size() < usbtmc::head_size || got[0] != static_cast<char>(usbtmc::message_in) ||
        static_cast<std::uint8_t>(got[1]) != tag ||
        static_cast<std::uint8_t>(got[2]) != static_cast<std::uint8_t>(~tag))
        fail_bench(peer() + " sent something that is no answer to the request (USBTMC)");
    const std::size_t size = usbtmc::size_of(got);
    if (size > largest) fail_bench(peer() + " announced " + std::to_string(size) + " bytes, too many");
    while (got.size() < usbtmc::head_size + size) {
        const auto left = std::chrono::duration_cast<milliseconds>(deadline - steady_clock::now());
        const std::string more =
            left.count() > 0 ? pipe_->in(usbtmc::head_size + size - got.size(), left) : "";
        if (more.empty()) fail_timeout(timeout, doing);
        got += more;
    }
    if (got[8] & end_of_message) message_ends();
    return got.substr(usbtmc::head_size, size);
}

std::string UsbtmcSession::read_some(milliseconds timeout, const char* doing) {
    auto read = read_once(timeout, doing);
    return read ? *read : "";
}

bool UsbtmcSession::answers(milliseconds timeout) {
    if (has_kept()) return true;
    const auto read = read_once(timeout, "waiting for an answer");
    if (read) keep(*read);
    return read.has_value();
}

// USBTMC 4.2.1.4: a request that nothing answers is taken back, or the next one finds the device halted.
void UsbtmcSession::abort_in(std::uint8_t tag) {
    using Target = UsbPipe::Target;
    if (status_of(pipe_->control({Target::bulk_in, usbtmc::initiate_abort_in, tag, 2}, timeout_)) !=
        usbtmc::success)
        return;
    constexpr milliseconds moment(10);
    for (int i = 0; i < 100; ++i) {
        pipe_->in(largest, moment);
        if (status_of(pipe_->control({Target::bulk_in, usbtmc::check_abort_in, 0, 8}, timeout_)) !=
            usbtmc::pending)
            return;
    }
}

void UsbtmcSession::clear() {
    using Target = UsbPipe::Target;
    if (status_of(pipe_->control({Target::interface, usbtmc::initiate_clear, 0, 1}, timeout_)) !=
        usbtmc::success)
        fail_bench(peer() + " refuses to be cleared");
    const auto deadline = steady_clock::now() + timeout_;
    for (;;) {
        const int status =
            status_of(pipe_->control({Target::interface, usbtmc::check_clear, 0, 2}, timeout_));
        if (status == usbtmc::success) break;
        if (status != usbtmc::pending) fail_bench(peer() + " was not cleared");
        if (steady_clock::now() >= deadline) fail_timeout(timeout_, "clearing it");
        std::this_thread::sleep_for(milliseconds(5));
    }
    forget();
}

std::optional<int> UsbtmcSession::status() {
    status_tag_ = static_cast<std::uint8_t>(status_tag_ >= 127 ? 2 : status_tag_ + 1);
    const std::string answer =
        pipe_->control({UsbPipe::Target::interface, usbtmc::read_status_byte, status_tag_, 3}, timeout_);
    if (answer.size() < 3 || status_of(answer) != usbtmc::success) return std::nullopt;
    // Devices with an interrupt endpoint answer there (USB488, 4.3.1).
    const auto deadline = steady_clock::now() + timeout_;
    constexpr milliseconds moment(20);
    for (auto note = pipe_->notification(moment); note.size() == 2; note = pipe_->notification(moment)) {
        const auto first = static_cast<unsigned char>(note[0]);
        if (first == (0x80 | status_tag_)) return static_cast<unsigned char>(note[1]);
        if (first == 0x81) requested_ = true;
        if (steady_clock::now() >= deadline) break;
    }
    return static_cast<unsigned char>(answer[2]);
}

bool UsbtmcSession::service_requested() {
    constexpr milliseconds moment(1);
    const std::string note = pipe_->notification(moment);
    if (note.size() == 2 && static_cast<unsigned char>(note[0]) == 0x81) requested_ = true;
    return std::exchange(requested_, false);
}

void UsbtmcSession::to_local() {
    pipe_->control({UsbPipe::Target::interface, usbtmc::go_to_local, 0, 1}, timeout_);
}

void UsbtmcSession::trigger() {
    if (!pipe_->out(usbtmc::head(usbtmc::trigger, next_tag(), 0, 0), timeout_))
        fail_timeout(timeout_, "triggering");
}

}  // namespace rt::lab
