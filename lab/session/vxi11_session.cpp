#include "lab/session/vxi11_session.hpp"

#include <unistd.h>

#include <algorithm>
#include <utility>

#include "core/base/error.hpp"
#include "lab/session/onc_rpc.hpp"
#include "lab/session/vxi11_rpc.hpp"

namespace rt::lab {
using namespace vxi11;

struct Vxi11Session::State {
    std::string host;
    milliseconds timeout;
    std::unique_ptr<RpcClient> core;
    int link = -1;
    unsigned abort_port = 0;
    std::size_t most = 1024;
    bool locked = false;
    std::unique_ptr<InterruptChannel> interrupts;

    // The network is given some time beside what the instrument may take.
    milliseconds bound(milliseconds of_instrument) const { return of_instrument + milliseconds(1000); }

    // A call that gives nothing back but how it went.
    template <class In>
    int error_of(const Vxi11Session& session, unsigned procedure, bool_t (*put)(XDR*, In*), In in,
                 milliseconds wait, const char* doing) {
        int error = 0;
        session.require_answered(core->call(procedure, put, in, xdr_int, error, bound(wait)), wait, doing);
        return error;
    }
};

Vxi11Session::Vxi11Session(const std::string& host, const std::string& port, const std::string& device,
                           milliseconds timeout)
    : Session("instrument at " + host + (port.empty() ? "" : ":" + port) + " (VXI-11)"),
      state_(std::make_unique<State>()) {
    state_->host = host;
    state_->timeout = timeout;
    const std::string at = port.empty() ? core_port(host, timeout, peer()) : port;
    state_->core = std::make_unique<RpcClient>(host, at, rpc::core_program, 1, timeout, peer());
    std::string name = device;
    LinkParameters wanted;
    wanted.client = static_cast<int>(::getpid());
    wanted.device = name.data();
    LinkAnswer answer;
    if (state_->core->call(rpc::create_link, xdr_link, wanted, xdr_link_answer, answer, timeout) !=
        RPC_SUCCESS)
        fail_timeout(timeout, "opening a link");
    require(answer.error, "opening a link");
    state_->link = answer.link;
    state_->abort_port = answer.abort_port;
    // At least 1024 bytes must be taken (VXI-11, rule B.6.3); some instruments say 0.
    constexpr unsigned least = 1024;
    state_->most = std::min<std::size_t>(std::max(answer.most, least), std::size_t{1} << 20);
}

Vxi11Session::~Vxi11Session() {
    if (!state_ || state_->link < 0) return;
    int link = state_->link, error = 0;
    state_->core->call(rpc::destroy_link, xdr_int, link, xdr_int, error, milliseconds(1000));
}

void Vxi11Session::require(int error, const char* doing) const {
    if (error == rpc::no_error) return;
    if (error == rpc::io_timeout) fail_timeout(state_->timeout, doing);
    fail_bench(peer() + ": " + words_of(error) + " (VXI-11 error " + std::to_string(error) + ", " + doing +
               ")");
}

void Vxi11Session::write(std::string_view bytes) {
    forget();
    while (!bytes.empty()) {
        std::string part(bytes.substr(0, state_->most));
        bytes.remove_prefix(part.size());
        const auto io = static_cast<unsigned>(state_->timeout.count());
        WriteParameters in{state_->link,
                           io,
                           0,
                           bytes.empty() ? rpc::flag_end : 0,
                           part.data(),
                           static_cast<unsigned>(part.size())};
        WriteAnswer out;
        const auto state = state_->core->call(rpc::device_write, xdr_write, in, xdr_write_answer, out,
                                              state_->bound(state_->timeout));
        require_answered(state, state_->timeout, "sending");
        require(out.error, "sending");
        if (out.size != part.size()) fail_bench(peer() + " has not taken the whole message (sending)");
    }
}

std::optional<std::size_t> Vxi11Session::read_once(char* place, std::size_t most, milliseconds timeout,
                                                   const char* doing) {
    ReadParameters in{
        state_->link, static_cast<unsigned>(most), static_cast<unsigned>(timeout.count()), 0, 0, 0};
    ReadAnswer out;
    out.data = place, out.size = 0, out.most = static_cast<unsigned>(most);
    const auto state =
        state_->core->call(rpc::device_read, xdr_read, in, xdr_read_answer, out, state_->bound(timeout));
    if (state == RPC_TIMEDOUT) {
        // Ends the read that the instrument hangs in (VXI-11, B.6.17); this session is over anyway.
        if (state_->abort_port > 0 && state_->abort_port <= 65535) {
            try {
                constexpr milliseconds longest(500);
                RpcClient abort(state_->host, std::to_string(state_->abort_port), rpc::abort_program, 1,
                                longest, peer());
                int link = state_->link, error = 0;
                abort.call(rpc::device_abort, xdr_int, link, xdr_int, error, longest);
            } catch (const Error&) {
                // The time-out is what is told.
            }
        }
        fail_timeout(timeout, doing);
    }
    if (state != RPC_SUCCESS) fail_closed(doing);
    if (out.error == rpc::io_timeout) return std::nullopt;
    require(out.error, doing);
    if (out.reason & rpc::reason_end) message_ends();
    return out.size;
}

std::string Vxi11Session::read_some(milliseconds timeout, const char* doing) {
    std::string out(65536, '\0');
    out.resize(read_once(out.data(), out.size(), timeout, doing).value_or(0));
    return out;
}

std::size_t Vxi11Session::read_into(char* place, std::size_t count, milliseconds timeout, const char* doing) {
    constexpr std::size_t largest = std::size_t{4} << 20;
    return read_once(place, std::min(count, largest), timeout, doing).value_or(0);
}

bool Vxi11Session::answers(milliseconds timeout) {
    if (has_kept()) return true;
    std::string out(65536, '\0');
    const auto read = read_once(out.data(), out.size(), timeout, "waiting for an answer");
    if (read) keep(std::string_view(out).substr(0, *read));
    return read.has_value();
}

// The call itself; what the instrument says in its answer is told by require().
void Vxi11Session::require_answered(int state, milliseconds timeout, const char* doing) const {
    if (state == RPC_TIMEDOUT) fail_timeout(timeout, doing);
    if (state != RPC_SUCCESS) fail_closed(doing);
}

void Vxi11Session::simple(unsigned procedure, const char* doing) {
    const GenericParameters in{state_->link, 0, 0, static_cast<unsigned>(state_->timeout.count())};
    require(state_->error_of(*this, procedure, xdr_generic, in, state_->timeout, doing), doing);
}

void Vxi11Session::clear() {
    simple(rpc::device_clear, "clearing it");
    forget();
}

void Vxi11Session::trigger() {
    simple(rpc::device_trigger, "triggering it");
}

void Vxi11Session::to_local() {
    simple(rpc::device_local, "giving the panel back");
}

std::optional<int> Vxi11Session::status() {
    GenericParameters in{state_->link, 0, 0, static_cast<unsigned>(state_->timeout.count())};
    StatusAnswer out;
    const char* doing = "reading its status";
    require_answered(state_->core->call(rpc::device_readstb, xdr_generic, in, xdr_status, out,
                                        state_->bound(state_->timeout)),
                     state_->timeout, doing);
    if (out.error == rpc::not_supported) return std::nullopt;
    require(out.error, doing);
    return static_cast<int>(out.status & 0xff);
}

void Vxi11Session::open_interrupts() {
    auto channel = std::make_unique<InterruptChannel>(state_->core->socket());
    const ChannelParameters where{channel->host(), channel->port(), rpc::interrupt_program, 1, 0};
    const char* doing = "opening its channel for service requests";
    require(state_->error_of(*this, rpc::create_intr_chan, xdr_channel, where, state_->timeout, doing),
            doing);
    std::string handle = "rt";
    const EnableParameters enable{state_->link, TRUE, handle.data(), static_cast<unsigned>(handle.size())};
    require(state_->error_of(*this, rpc::device_enable_srq, xdr_enable, enable, state_->timeout, doing),
            doing);
    state_->interrupts = std::move(channel);
}

bool Vxi11Session::service_requested() {
    if (!state_->interrupts) open_interrupts();
    return state_->interrupts->take();
}

void Vxi11Session::lock(const std::string& key, milliseconds timeout) {
    if (!key.empty()) fail_bench(peer() + ": VXI-11 has no shared locks, only lock = \"exclusive\"");
    const LockParameters in{state_->link, rpc::flag_wait_lock, static_cast<unsigned>(timeout.count())};
    const int error = state_->error_of(*this, rpc::device_lock, xdr_lock, in, timeout, "locking it");
    if (error == rpc::locked_by_another) fail_bench(peer() + " is locked by somebody else");
    require(error, "locking it");
    state_->locked = true;
}

void Vxi11Session::unlock() {
    if (!std::exchange(state_->locked, false)) return;
    int link = state_->link, error = 0;
    state_->core->call(rpc::device_unlock, xdr_int, link, xdr_int, error, state_->bound(state_->timeout));
}

}  // namespace rt::lab
