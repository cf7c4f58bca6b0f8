// VXI-11: the core and the abort channel on one port, service requests on a channel of its own; ONC RPC by
// hand (RFC 5531), so that the client is tried against another's reading of the standard.
#include <boost/asio/connect.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/write.hpp>

#include "lab/session/onc_rpc.hpp"
#include "lab/simulate/serve/served.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

namespace {

constexpr std::uint32_t longest_vxi11_message = 1 << 16;

class Vxi11Connection : public std::enable_shared_from_this<Vxi11Connection> {
  public:
    Vxi11Connection(tcp::socket socket, std::shared_ptr<Served> served)
        : socket_(std::move(socket)),
          served_(std::move(served)),
          session_(++served_->sessions),
          timer_(socket_.get_executor()),
          interrupts_(socket_.get_executor()) {}
    ~Vxi11Connection() { served_->locks.release(session_); }

    void read() {
        asio::async_read(socket_, asio::buffer(mark_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->read_fragment();
                         });
    }

  private:
    // RFC 5531, 11: fragments, the last of which has the highest bit of its length set.
    void read_fragment() {
        const std::uint32_t mark = rpc::Reader({mark_.data(), mark_.size()}).number();
        const std::uint32_t size = mark & 0x7fffffff;
        const std::size_t before = record_.size();
        if (before + size > 2 * longest_vxi11_message) return;
        record_.resize(before + size);
        asio::async_read(socket_, asio::buffer(record_.data() + before, size),
                         [self = shared_from_this(), last = mark >> 31 != 0](const auto& error, std::size_t) {
                             if (error) return;
                             if (!last) return self->read();
                             self->take(std::exchange(self->record_, {}));
                         });
    }

    void take(const std::string& record) {
        const auto call = rpc::parse_call(record);
        if (!call) return;
        call_ = *call;
        rpc::Reader in(call_.parameters);
        if (call_.program == rpc::abort_program) return answer_error(rpc::no_error);
        if (call_.program != rpc::core_program) return send(rpc::reply(call_.id, 1, ""));
        const auto link = static_cast<unsigned>(call_.procedure == rpc::create_link ? 0 : in.number());
        const bool about_link = call_.procedure != rpc::create_link &&
                                call_.procedure != rpc::create_intr_chan &&
                                call_.procedure != rpc::destroy_intr_chan;
        if (about_link && (link_ == 0 || link != link_)) return answer_error(rpc::invalid_link);
        switch (call_.procedure) {
            case rpc::create_link:
                return create_link(in);
            case rpc::device_write:
                return write(in);
            case rpc::device_read:
                return device_read(in);
            case rpc::device_readstb:
                return answer({rpc::no_error, served_->status_byte()});
            case rpc::device_clear:
                pending_.clear(), message_.clear(), taken_ = 0;
                return answer_error(rpc::no_error);
            case rpc::device_trigger:
            case rpc::device_remote:
            case rpc::device_local:
                return answer_error(rpc::no_error);
            case rpc::device_lock: {
                const bool waits = in.number() & rpc::flag_wait_lock;
                return lock(waits ? in.number() : 0);
            }
            case rpc::device_unlock:
                return answer_error(served_->locks.release(session_) ? rpc::no_error : rpc::no_lock_held);
            case rpc::device_enable_srq:
                enabled_ = in.number() != 0;
                handle_ = in.bytes();
                return answer_error(rpc::no_error);
            case rpc::create_intr_chan:
                return open_interrupts(link, in);
            case rpc::destroy_intr_chan:
                interrupts_.close();
                return answer_error(rpc::no_error);
            case rpc::destroy_link:
                link_ = 0;
                served_->locks.release(session_);
                return answer_error(rpc::no_error);
            case rpc::device_docmd:
                return answer({rpc::not_supported, 0});
            default:
                return send(rpc::reply(call_.id, 3, ""));
        }
    }

    void create_link(rpc::Reader& in) {
        in.number(), in.number(), in.number();
        const std::string device = in.bytes();
        if (!in.ok()) return send(rpc::reply(call_.id, 4, ""));
        if (device.empty() || device.find("inst0") == std::string::npos)
            return answer({rpc::not_accessible, 0, 0, 0});
        link_ = session_;
        // The abort channel is on the same port: its program tells it apart.
        answer({rpc::no_error, link_, socket_.local_endpoint().port(), longest_vxi11_message});
    }

    void write(rpc::Reader& in) {
        in.number(), in.number();
        const std::uint32_t flags = in.number();
        const std::string data = in.bytes();
        if (!in.ok()) return send(rpc::reply(call_.id, 4, ""));
        if (!served_->locks.allows(session_)) return answer({rpc::locked_by_another, 0});
        message_ += data;
        if (!(flags & rpc::flag_end)) return answer({rpc::no_error, static_cast<std::uint32_t>(data.size())});
        const bool before = served_->status_byte() & 64;
        Reply reply = served_->reply(std::exchange(message_, {}));
        if (reply.drop) return;
        // A new message drops what was not read of the answer before (IEEE 488.2, 6.3.2.3).
        pending_.clear(), taken_ = 0;
        ended_ = !reply.cut;
        leaves_ = reply.leaves;
        if (reply.text) pending_ = std::move(*reply.text) += reply.cut ? "" : "\n";
        if (enabled_ && !before && (served_->status_byte() & 64)) request_service();
        answer({rpc::no_error, static_cast<std::uint32_t>(data.size())});
    }

    void device_read(rpc::Reader& in) {
        const std::uint32_t most = in.number(), wait_ms = in.number();
        if (!served_->locks.allows(session_)) return answer_read(rpc::locked_by_another, 0, "");
        if (taken_ == pending_.size()) {
            timer_.expires_after(std::chrono::milliseconds(wait_ms));
            timer_.async_wait([self = shared_from_this()](const auto& error) {
                if (!error) self->answer_read(rpc::io_timeout, 0, "");
            });
            return;
        }
        const std::string_view part = std::string_view(pending_).substr(taken_, most);
        taken_ += part.size();
        const bool end = taken_ == pending_.size() && ended_;
        answer_read(rpc::no_error, end ? rpc::reason_end : rpc::reason_count, part);
    }

    void lock(std::uint32_t left_ms) {
        if (served_->locks.take(session_, "")) return answer_error(rpc::no_error);
        constexpr std::uint32_t step_ms = 10;
        if (left_ms < step_ms) return answer_error(rpc::locked_by_another);
        timer_.expires_after(std::chrono::milliseconds(step_ms));
        timer_.async_wait([self = shared_from_this(), left_ms](const auto& error) {
            if (!error) self->lock(left_ms - step_ms);
        });
    }

    // VXI-11, B.6.12: the instrument connects to where it is told.
    void open_interrupts(std::uint32_t host, rpc::Reader& in) {
        const auto port = static_cast<unsigned short>(in.number());
        in.number(), in.number();
        const bool tcp_family = in.number() == 0;
        if (!in.ok() || !tcp_family) return answer_error(rpc::parameter_error);
        if (interrupts_.is_open()) return answer_error(rpc::channel_established);
        boost::system::error_code error;
        interrupts_.connect(tcp::endpoint(asio::ip::address_v4(host), port), error);
        answer_error(error ? rpc::channel_not_established : rpc::no_error);
    }

    void request_service() {
        std::string body;
        for (const std::uint32_t word : {++calls_, 0u, 2u, rpc::interrupt_program, 1u,
                                         static_cast<std::uint32_t>(rpc::device_intr_srq), 0u, 0u, 0u, 0u})
            rpc::put(body, word);
        rpc::put_bytes(body, handle_);
        boost::system::error_code ignored;
        asio::write(interrupts_, asio::buffer(rpc::as_record(body)), ignored);
    }

    void answer_error(std::uint32_t error) { answer({error}); }
    void answer(std::initializer_list<std::uint32_t> words) {
        std::string results;
        for (const std::uint32_t word : words) rpc::put(results, word);
        send(rpc::reply(call_.id, 0, results));
    }
    // The data are sent from where they are.
    void answer_read(std::uint32_t error, std::uint32_t reason, std::string_view data) {
        const std::size_t padding = (4 - data.size() % 4) % 4;
        std::string body;
        for (const std::uint32_t word : {call_.id, 1u, 0u, 0u, 0u, 0u, error, reason}) rpc::put(body, word);
        rpc::put(body, static_cast<std::uint32_t>(data.size()));
        out_.clear();
        rpc::put(out_, 0x80000000u | static_cast<std::uint32_t>(body.size() + data.size() + padding));
        out_ += body;
        static constexpr char zeros[4] = {};
        const std::array<asio::const_buffer, 3> all{asio::buffer(out_), asio::buffer(data),
                                                    asio::buffer(zeros, padding)};
        asio::async_write(
            socket_, all,
            [self = shared_from_this(), leaves = leaves_ && !data.empty()](const auto& e, std::size_t) {
                if (!e && !leaves) self->read();
            });
    }
    void send(std::string text, bool leaves = false) {
        out_ = std::move(text);
        asio::async_write(socket_, asio::buffer(out_),
                          [self = shared_from_this(), leaves](const auto& error, std::size_t) {
                              if (!error && !leaves) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    unsigned session_, link_ = 0;
    asio::steady_timer timer_;
    tcp::socket interrupts_;
    std::array<char, 4> mark_;
    rpc::Call call_;
    std::string record_, message_, pending_, out_, handle_;
    std::size_t taken_ = 0;
    std::uint32_t calls_ = 0;
    bool ended_ = true, leaves_ = false, enabled_ = false;
};

}  // namespace

void serve_vxi11(tcp::socket socket, std::shared_ptr<Served> served) {
    std::make_shared<Vxi11Connection>(std::move(socket), std::move(served))->read();
}

}  // namespace rt::lab
