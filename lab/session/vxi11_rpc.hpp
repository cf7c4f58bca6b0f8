// Remote procedure calls of VXI-11 by libtirpc: what is put in and taken out (VXI-11, appendix C), the
// connections to the core and abort channels, and the channel on which an instrument calls back.
#pragma once

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

namespace rt::lab::vxi11 {

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

inline bool_t xdr_link(XDR* x, LinkParameters* p) {
    return xdr_int(x, &p->client) && xdr_bool(x, &p->lock) && xdr_u_int(x, &p->lock_timeout) &&
           xdr_string(x, &p->device, 256);
}
inline bool_t xdr_link_answer(XDR* x, LinkAnswer* p) {
    return xdr_int(x, &p->error) && xdr_int(x, &p->link) && xdr_u_int(x, &p->abort_port) &&
           xdr_u_int(x, &p->most);
}
inline bool_t xdr_write(XDR* x, WriteParameters* p) {
    return xdr_int(x, &p->link) && xdr_u_int(x, &p->io_timeout) && xdr_u_int(x, &p->lock_timeout) &&
           xdr_int(x, &p->flags) && xdr_bytes(x, &p->data, &p->size, ~0u);
}
inline bool_t xdr_write_answer(XDR* x, WriteAnswer* p) {
    return xdr_int(x, &p->error) && xdr_u_int(x, &p->size);
}
inline bool_t xdr_read(XDR* x, ReadParameters* p) {
    return xdr_int(x, &p->link) && xdr_u_int(x, &p->size) && xdr_u_int(x, &p->io_timeout) &&
           xdr_u_int(x, &p->lock_timeout) && xdr_int(x, &p->flags) && xdr_int(x, &p->term);
}
inline bool_t xdr_read_answer(XDR* x, ReadAnswer* p) {
    return xdr_int(x, &p->error) && xdr_int(x, &p->reason) && xdr_bytes(x, &p->data, &p->size, p->most);
}
inline bool_t xdr_generic(XDR* x, GenericParameters* p) {
    return xdr_int(x, &p->link) && xdr_int(x, &p->flags) && xdr_u_int(x, &p->lock_timeout) &&
           xdr_u_int(x, &p->io_timeout);
}
inline bool_t xdr_lock(XDR* x, LockParameters* p) {
    return xdr_int(x, &p->link) && xdr_int(x, &p->flags) && xdr_u_int(x, &p->lock_timeout);
}
inline bool_t xdr_status(XDR* x, StatusAnswer* p) {
    return xdr_int(x, &p->error) && xdr_u_int(x, &p->status);
}
inline bool_t xdr_channel(XDR* x, ChannelParameters* p) {
    return xdr_u_int(x, &p->host) && xdr_u_int(x, &p->port) && xdr_u_int(x, &p->program) &&
           xdr_u_int(x, &p->version) && xdr_int(x, &p->family);
}
inline bool_t xdr_enable(XDR* x, EnableParameters* p) {
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

inline bool_t xdr_mapping(XDR* x, pmap* p) {
    return xdr_pmap(x, p);
}
inline bool_t xdr_number(XDR* x, unsigned* p) {
    return xdr_u_int(x, p);
}

// RFC 1833, 3.2: where a program listens.
inline std::string core_port(const std::string& host, milliseconds timeout, const std::string& peer) {
    RpcClient mapper(host, "111", PMAPPROG, PMAPVERS, timeout, peer + ", port mapper");
    pmap wanted{rpc::core_program, 1, IPPROTO_TCP, 0};
    unsigned port = 0;
    if (mapper.call(PMAPPROC_GETPORT, xdr_mapping, wanted, xdr_number, port, timeout) != RPC_SUCCESS)
        fail_bench(peer + ": its port mapper does not answer");
    if (port == 0 || port > 65535)
        fail_bench(peer + ": its port mapper knows no VXI-11; write the port: vxi11://host:port/inst0");
    return std::to_string(port);
}

inline const char* words_of(int error) {
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

}  // namespace rt::lab::vxi11
