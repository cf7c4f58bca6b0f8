#include "lab/session/vxi11_session.hpp"

#include <arpa/inet.h>
#include <poll.h>
#include <pthread.h>
#include <rpc/rpc.h>
#include <sys/socket.h>
#include <unistd.h>

// After the types it needs.
#include <rpc/pmap_prot.h>

#include <atomic>
#include <csignal>
#include <cstring>
#include <thread>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/session/connect.hpp"
#include "lab/session/onc_rpc.hpp"

namespace rt::lab {
// Named, since the session keeps some of it.
namespace vxi11 {

using std::chrono::milliseconds;

// What the library calls with: the XDR form of each (VXI-11, appendix C).
struct LinkParameters {
    int client = 1;
    bool_t lock = FALSE;
    unsigned lock_timeout = 0;
    char* device = nullptr;
};
struct LinkAnswer {
    int error = 0, link = 0;
    unsigned abort_port = 0, most = 0;
};
struct WriteParameters {
    int link;
    unsigned io_timeout, lock_timeout;
    int flags;
    char* data;
    unsigned size;
};
struct WriteAnswer {
    int error = 0;
    unsigned size = 0;
};
struct ReadParameters {
    int link;
    unsigned size, io_timeout, lock_timeout;
    int flags, term;
};
struct ReadAnswer {
    int error = 0, reason = 0;
    char* data;
    unsigned size, most;
};
struct GenericParameters {
    int link, flags;
    unsigned lock_timeout, io_timeout;
};
struct LockParameters {
    int link, flags;
    unsigned lock_timeout;
};
struct StatusAnswer {
    int error = 0;
    unsigned status = 0;
};
struct ChannelParameters {
    unsigned host, port, program, version;
    int family;  // 0 is TCP
};
struct EnableParameters {
    int link;
    bool_t enable;
    char* handle;
    unsigned size;
};

bool_t xdr_link(XDR* x, LinkParameters* p) {
    return xdr_int(x, &p->client) && xdr_bool(x, &p->lock) && xdr_u_int(x, &p->lock_timeout) &&
           xdr_string(x, &p->device, 256);
}
bool_t xdr_link_answer(XDR* x, LinkAnswer* p) {
    return xdr_int(x, &p->error) && xdr_int(x, &p->link) && xdr_u_int(x, &p->abort_port) &&
           xdr_u_int(x, &p->most);
}
bool_t xdr_write(XDR* x, WriteParameters* p) {
    return xdr_int(x, &p->link) && xdr_u_int(x, &p->io_timeout) && xdr_u_int(x, &p->lock_timeout) &&
           xdr_int(x, &p->flags) && xdr_bytes(x, &p->data, &p->size, ~0u);
}
bool_t xdr_write_answer(XDR* x, WriteAnswer* p) {
    return xdr_int(x, &p->error) && xdr_u_int(x, &p->size);
}
bool_t xdr_read(XDR* x, ReadParameters* p) {
    return xdr_int(x, &p->link) && xdr_u_int(x, &p->size) && xdr_u_int(x, &p->io_timeout) &&
           xdr_u_int(x, &p->lock_timeout) && xdr_int(x, &p->flags) && xdr_int(x, &p->term);
}
bool_t xdr_read_answer(XDR* x, ReadAnswer* p) {
    return xdr_int(x, &p->error) && xdr_int(x, &p->reason) && xdr_bytes(x, &p->data, &p->size, p->most);
}
bool_t xdr_generic(XDR* x, GenericParameters* p) {
    return xdr_int(x, &p->link) && xdr_int(x, &p->flags) && xdr_u_int(x, &p->lock_timeout) &&
           xdr_u_int(x, &p->io_timeout);
}
bool_t xdr_lock(XDR* x, LockParameters* p) {
    return xdr_int(x, &p->link) && xdr_int(x, &p->flags) && xdr_u_int(x, &p->lock_timeout);
}
bool_t xdr_status(XDR* x, StatusAnswer* p) {
    return xdr_int(x, &p->error) && xdr_u_int(x, &p->status);
}
bool_t xdr_channel(XDR* x, ChannelParameters* p) {
    return xdr_u_int(x, &p->host) && xdr_u_int(x, &p->port) && xdr_u_int(x, &p->program) &&
           xdr_u_int(x, &p->version) && xdr_int(x, &p->family);
}
bool_t xdr_enable(XDR* x, EnableParameters* p) {
    return xdr_int(x, &p->link) && xdr_bool(x, &p->enable) && xdr_bytes(x, &p->handle, &p->size, 40);
}

// The library writes without MSG_NOSIGNAL: a peer that is gone would end the program.
class WithoutPipeSignal {
  public:
    WithoutPipeSignal() {
        sigemptyset(&pipe_);
        sigaddset(&pipe_, SIGPIPE);
        pthread_sigmask(SIG_BLOCK, &pipe_, &before_);
    }
    ~WithoutPipeSignal() {
        const timespec now{};
        while (sigtimedwait(&pipe_, nullptr, &now) > 0) {
        }
        pthread_sigmask(SIG_SETMASK, &before_, nullptr);
    }
    WithoutPipeSignal(const WithoutPipeSignal&) = delete;
    WithoutPipeSignal& operator=(const WithoutPipeSignal&) = delete;

  private:
    sigset_t pipe_, before_;
};

// One program of one host over its own connection.
class RpcClient {
  public:
    RpcClient(const std::string& host, const std::string& port, unsigned long program, unsigned long version,
              milliseconds timeout, const std::string& peer)
        : socket_(connect_tcp(host, port, timeout, peer)) {
        sockaddr_storage address{};
        socklen_t length = sizeof address;
        ::getpeername(socket_.get(), reinterpret_cast<sockaddr*>(&address), &length);
        const timeval most{static_cast<time_t>(timeout.count() / 1000), (timeout.count() % 1000) * 1000};
        ::setsockopt(socket_.get(), SOL_SOCKET, SO_SNDTIMEO, &most, sizeof most);
        netbuf where{sizeof address, length, &address};
        constexpr unsigned buffer = 1 << 18;
        client_ = clnt_vc_create(socket_.get(), &where, static_cast<rpcprog_t>(program),
                                 static_cast<rpcvers_t>(version), buffer, buffer);
        if (!client_) fail_bench(peer + ": " + clnt_spcreateerror("no remote procedure calls"));
    }
    ~RpcClient() {
        if (client_) clnt_destroy(client_);
    }
    RpcClient(const RpcClient&) = delete;
    RpcClient& operator=(const RpcClient&) = delete;

    template <class In, class Out>
    clnt_stat call(unsigned procedure, bool_t (*put)(XDR*, In*), In& in, bool_t (*take)(XDR*, Out*), Out& out,
                   milliseconds timeout) {
        const WithoutPipeSignal quiet;
        const timeval most{static_cast<time_t>(timeout.count() / 1000), (timeout.count() % 1000) * 1000};
        return clnt_call(client_, procedure, reinterpret_cast<xdrproc_t>(put), reinterpret_cast<caddr_t>(&in),
                         reinterpret_cast<xdrproc_t>(take), reinterpret_cast<caddr_t>(&out), most);
    }
    int socket() const { return socket_.get(); }

  private:
    OpenFile socket_;
    CLIENT* client_ = nullptr;
};

bool_t xdr_mapping(XDR* x, pmap* p) {
    return xdr_pmap(x, p);
}
bool_t xdr_number(XDR* x, unsigned* p) {
    return xdr_u_int(x, p);
}

// RFC 1833, 3.2: where a program listens.
std::string core_port(const std::string& host, milliseconds timeout, const std::string& peer) {
    RpcClient mapper(host, "111", PMAPPROG, PMAPVERS, timeout, peer + ", port mapper");
    pmap wanted{rpc::core_program, 1, IPPROTO_TCP, 0};
    unsigned port = 0;
    if (mapper.call(PMAPPROC_GETPORT, xdr_mapping, wanted, xdr_number, port, timeout) != RPC_SUCCESS)
        fail_bench(peer + ": its port mapper does not answer");
    if (port == 0 || port > 65535)
        fail_bench(peer + ": its port mapper knows no VXI-11; write the port: vxi11://host:port/inst0");
    return std::to_string(port);
}

const char* words_of(int error) {
    switch (error) {
        case rpc::syntax_error:
            return "syntax error";
        case rpc::not_accessible:
            return "there is no such device";
        case rpc::invalid_link:
            return "the link is not known any more";
        case rpc::out_of_resources:
            return "out of resources";
        case rpc::locked_by_another:
            return "locked by somebody else";
        case rpc::not_supported:
            return "not supported";
        case rpc::io_error:
            return "error of input or output";
        case rpc::aborted:
            return "aborted";
        default:
            return "refused";
    }
}

// Where the instrument tells that it wants service: it opens a connection to here (VXI-11, B.4.3).
class InterruptChannel {
  public:
    explicit InterruptChannel(int core) {
        sockaddr_in here{};
        socklen_t length = sizeof here;
        ::getsockname(core, reinterpret_cast<sockaddr*>(&here), &length);
        if (here.sin_family != AF_INET) fail_bench("service requests of VXI-11 need an address of IPv4");
        here.sin_port = 0;
        listener_ = OpenFile(::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0));
        if (::bind(listener_.get(), reinterpret_cast<sockaddr*>(&here), sizeof here) != 0 ||
            ::listen(listener_.get(), 1) != 0)
            fail_bench(std::string("no place for service requests: ") + std::strerror(errno));
        length = sizeof here;
        ::getsockname(listener_.get(), reinterpret_cast<sockaddr*>(&here), &length);
        host_ = ntohl(here.sin_addr.s_addr);
        port_ = ntohs(here.sin_port);
        thread_ = std::jthread([this](std::stop_token stop) { listen(stop); });
    }
    unsigned host() const { return host_; }
    unsigned port() const { return port_; }
    bool take() { return requested_.exchange(false); }

  private:
    void listen(std::stop_token stop) {
        OpenFile caller;
        std::string record;
        while (!stop.stop_requested()) {
            constexpr int look_ms = 50;
            pollfd entries[]{{caller ? caller.get() : listener_.get(), POLLIN, 0}};
            if (::poll(entries, 1, look_ms) <= 0) continue;
            if (!caller) {
                caller = OpenFile(::accept4(listener_.get(), nullptr, nullptr, SOCK_CLOEXEC));
                continue;
            }
            char chunk[4096];
            const auto count = ::recv(caller.get(), chunk, sizeof chunk, 0);
            if (count <= 0) {
                caller = OpenFile();
                record.clear();
                continue;
            }
            record.append(chunk, static_cast<std::size_t>(count));
            answer(caller.get(), record);
        }
    }
    void answer(int caller, std::string& record) {
        while (record.size() >= 4) {
            const std::size_t size = rpc::Reader(record).number() & 0x7fffffff;
            if (size > 65536) return record.clear();
            if (record.size() < 4 + size) return;
            const auto call = rpc::parse_call(std::string_view(record).substr(4, size));
            record.erase(0, 4 + size);
            if (!call) continue;
            if (call->procedure == rpc::device_intr_srq) requested_ = true;
            const std::string said = rpc::reply(call->id, 0, "");
            [[maybe_unused]] const auto sent = ::send(caller, said.data(), said.size(), MSG_NOSIGNAL);
        }
    }

    OpenFile listener_;
    unsigned host_ = 0, port_ = 0;
    std::atomic<bool> requested_ = false;
    std::jthread thread_;
};

}  // namespace vxi11

using namespace vxi11;

struct Vxi11Session::State {
    std::string host;
    milliseconds timeout;
    std::unique_ptr<RpcClient> core;
    int link = -1;
    unsigned abort_port = 0;
    std::size_t most = 1024;
    unsigned lock_wait_ms = 0;
    bool locked = false;
    std::unique_ptr<InterruptChannel> interrupts;

    // The network is given some time beside what the instrument may take.
    milliseconds bound(milliseconds of_instrument) const { return of_instrument + milliseconds(1000); }
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
    const auto put = [](XDR* x, int* p) -> bool_t { return xdr_int(x, p); };
    state_->core->call<int, int>(rpc::destroy_link, put, link, put, error, milliseconds(1000));
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
        if (state == RPC_TIMEDOUT) fail_timeout(state_->timeout, "sending");
        if (state != RPC_SUCCESS) fail_closed("sending");
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
                const auto put = [](XDR* x, int* p) -> bool_t { return xdr_int(x, p); };
                abort.call<int, int>(rpc::device_abort, put, link, put, error, longest);
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

void Vxi11Session::simple(unsigned procedure, const char* doing) {
    GenericParameters in{state_->link, 0, 0, static_cast<unsigned>(state_->timeout.count())};
    int error = 0;
    const auto take = [](XDR* x, int* p) -> bool_t { return xdr_int(x, p); };
    const auto state = state_->core->call<GenericParameters, int>(procedure, xdr_generic, in, take, error,
                                                                  state_->bound(state_->timeout));
    if (state == RPC_TIMEDOUT) fail_timeout(state_->timeout, doing);
    if (state != RPC_SUCCESS) fail_closed(doing);
    require(error, doing);
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
    const auto state = state_->core->call(rpc::device_readstb, xdr_generic, in, xdr_status, out,
                                          state_->bound(state_->timeout));
    if (state == RPC_TIMEDOUT) fail_timeout(state_->timeout, "reading its status");
    if (state != RPC_SUCCESS) fail_closed("reading its status");
    if (out.error == rpc::not_supported) return std::nullopt;
    require(out.error, "reading its status");
    return static_cast<int>(out.status & 0xff);
}

void Vxi11Session::open_interrupts() {
    auto channel = std::make_unique<InterruptChannel>(state_->core->socket());
    ChannelParameters where{channel->host(), channel->port(), rpc::interrupt_program, 1, 0};
    int error = 0;
    const auto take = [](XDR* x, int* p) -> bool_t { return xdr_int(x, p); };
    const char* doing = "opening its channel for service requests";
    if (state_->core->call<ChannelParameters, int>(rpc::create_intr_chan, xdr_channel, where, take, error,
                                                   state_->bound(state_->timeout)) != RPC_SUCCESS)
        fail_closed(doing);
    require(error, doing);
    std::string handle = "rt";
    EnableParameters enable{state_->link, TRUE, handle.data(), static_cast<unsigned>(handle.size())};
    if (state_->core->call<EnableParameters, int>(rpc::device_enable_srq, xdr_enable, enable, take, error,
                                                  state_->bound(state_->timeout)) != RPC_SUCCESS)
        fail_closed(doing);
    require(error, doing);
    state_->interrupts = std::move(channel);
}

bool Vxi11Session::service_requested() {
    if (!state_->interrupts) open_interrupts();
    return state_->interrupts->take();
}

void Vxi11Session::lock(const std::string& key, milliseconds timeout) {
    if (!key.empty()) fail_bench(peer() + ": VXI-11 has no shared locks, only lock = \"exclusive\"");
    LockParameters in{state_->link, rpc::flag_wait_lock, static_cast<unsigned>(timeout.count())};
    int error = 0;
    const auto take = [](XDR* x, int* p) -> bool_t { return xdr_int(x, p); };
    const auto state = state_->core->call<LockParameters, int>(rpc::device_lock, xdr_lock, in, take, error,
                                                               state_->bound(timeout));
    if (state == RPC_TIMEDOUT) fail_timeout(timeout, "locking it");
    if (state != RPC_SUCCESS) fail_closed("locking it");
    if (error == rpc::locked_by_another) fail_bench(peer() + " is locked by somebody else");
    require(error, "locking it");
    state_->locked = true;
}

void Vxi11Session::unlock() {
    if (!std::exchange(state_->locked, false)) return;
    int link = state_->link, error = 0;
    const auto put = [](XDR* x, int* p) -> bool_t { return xdr_int(x, p); };
    state_->core->call<int, int>(rpc::device_unlock, put, link, put, error, state_->bound(state_->timeout));
}

}  // namespace rt::lab
