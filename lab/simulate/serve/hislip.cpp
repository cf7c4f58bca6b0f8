// HiSLIP (IVI-6.1): synchronised or overlapped mode, locks, remote and local, service requests.
#include <algorithm>
#include <boost/asio/read.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/write.hpp>
#include <map>

#include "lab/session/hislip.hpp"
#include "lab/simulate/serve/served.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

class HislipConnection;

constexpr std::size_t longest_message = 1 << 16;

struct HislipChannels {
    std::map<unsigned short, std::weak_ptr<HislipConnection>> asynchronous;
};

// One channel of a HiSLIP client (IVI-6.1): the first message says which of the two it is.
class HislipConnection : public std::enable_shared_from_this<HislipConnection> {
  public:
    HislipConnection(tcp::socket socket, std::shared_ptr<Served> served,
                     std::shared_ptr<HislipChannels> channels, bool overlapped)
        : socket_(std::move(socket)),
          served_(std::move(served)),
          channels_(std::move(channels)),
          overlapped_(overlapped),
          timer_(socket_.get_executor()) {}
    ~HislipConnection() { served_->locks.release(session_); }

    void read() {
        asio::async_read(socket_, asio::buffer(head_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->read_payload();
                         });
    }

  private:
    using Type = hislip::Type;

    void read_payload() {
        if (!hislip::parse({head_.data(), head_.size()}, header_))
            return say(Type::fatal_error, 1, 0, "no header");
        if (header_.length > longest_message) return say(Type::fatal_error, 4, 0, "message too large");
        payload_.resize(header_.length);
        asio::async_read(socket_, asio::buffer(payload_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->take();
                         });
    }

    void take() {
        switch (header_.type) {
            case Type::initialize:
                session_ = static_cast<unsigned short>(++served_->sessions);
                // The lower version of the two sides (IVI-6.1, 6.1).
                return say(Type::initialize_response, overlapped_ ? hislip::overlapped : 0,
                           std::min(hislip::protocol_version, header_.parameter >> 16) << 16 | session_);
            case Type::async_initialize:
                session_ = static_cast<unsigned short>(header_.parameter);
                channels_->asynchronous[session_] = weak_from_this();
                return say(Type::async_initialize_response, 0, 'R' << 8 | 'T');
            case Type::async_maximum_message_size: {
                std::string size;
                hislip::put(size, longest_message, 8);
                return say(Type::async_maximum_message_size_response, 0, 0, size);
            }
            case Type::data:
                message_ += payload_;
                return read();
            case Type::data_end:
                message_ += payload_;
                return answer();
            case Type::device_clear_complete:
                message_.clear();
                answers_ = hislip::first_message_id;
                return say(Type::device_clear_acknowledge, overlapped_ ? hislip::overlapped : 0, 0);
            case Type::async_device_clear:
                return say(Type::async_device_clear_acknowledge, 0, 0);
            case Type::async_status_query:
                return say(Type::async_status_response, served_->status_byte(), 0);
            case Type::async_lock:
                if (header_.control == hislip::lock_request) return lock(header_.parameter);
                // 1 gave an exclusive lock back, 2 a shared one, 3: held none.
                return say(Type::async_lock_response,
                           !served_->locks.release(session_) ? 3
                           : payload_.empty()                ? 1
                                                             : 2,
                           0);
            case Type::async_lock_info:
                return say(Type::async_lock_info_response, served_->locks.exclusive() ? 1 : 0,
                           static_cast<std::uint32_t>(served_->locks.holders()));
            case Type::async_remote_local_control:
                return say(Type::async_remote_local_response, 0, 0);
            case Type::trigger:
                return read();
            default:
                return say(Type::error, 1, 0, "unknown message");
        }
    }

    // Looked at again a little later, until the time is over.
    void lock(std::uint32_t left_ms) {
        if (served_->locks.take(session_, payload_)) return say(Type::async_lock_response, 1, 0);
        constexpr std::uint32_t step_ms = 10;
        if (left_ms < step_ms) return say(Type::async_lock_response, 0, 0);
        wait(step_ms, [this, left_ms] { lock(left_ms - step_ms); });
    }

    template <class Then>
    void wait(std::uint32_t ms, Then then) {
        timer_.expires_after(std::chrono::milliseconds(ms));
        timer_.async_wait([self = shared_from_this(), then](const auto& error) {
            if (!error) then();
        });
    }

    void answer() {
        // Whoever has no lock waits for those who have.
        constexpr std::uint32_t step_ms = 10;
        if (!served_->locks.allows(session_)) return wait(step_ms, [this] { answer(); });
        const bool before = served_->status_byte() & 64;
        Reply reply = served_->reply(std::exchange(message_, {}));
        if (reply.drop) return;
        if (!before && (served_->status_byte() & 64)) {
            if (const auto channel = channels_->asynchronous[session_].lock()) channel->request_service();
        }
        if (!reply.text) return read();
        // In overlapped mode answers are counted by themselves.
        const std::uint32_t id = overlapped_ ? std::exchange(answers_, answers_ + 2) : header_.parameter;
        leaves_ = reply.leaves;
        if (!reply.cut) *reply.text += '\n';
        say(reply.cut ? Type::data : Type::data_end, 0, id, std::move(*reply.text));
    }

    void request_service() {
        // Small enough to go out whole; the channel is otherwise silent while its client waits.
        boost::system::error_code ignored;
        asio::write(socket_,
                    asio::buffer(hislip::message(Type::async_service_request, served_->status_byte(), 0)),
                    ignored);
    }

    void say(Type type, std::uint8_t control, std::uint32_t parameter, std::string payload = {}) {
        out_head_ = hislip::head(type, control, parameter, payload.size());
        out_ = std::move(payload);
        const std::array<asio::const_buffer, 2> both{asio::buffer(out_head_), asio::buffer(out_)};
        asio::async_write(socket_, both, [self = shared_from_this(), type](const auto& error, std::size_t) {
            if (!error && type != Type::fatal_error && !self->leaves_) self->read();
        });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    std::shared_ptr<HislipChannels> channels_;
    bool overlapped_, leaves_ = false;
    asio::steady_timer timer_;
    std::uint32_t answers_ = hislip::first_message_id;
    unsigned short session_ = 0;
    std::array<char, hislip::header_size> head_;
    hislip::Header header_;
    std::string payload_, message_, out_head_, out_;
};

std::shared_ptr<HislipChannels> make_hislip_channels() {
    return std::make_shared<HislipChannels>();
}

void serve_hislip(tcp::socket socket, std::shared_ptr<Served> served,
                  std::shared_ptr<HislipChannels> channels, bool overlapped) {
    std::make_shared<HislipConnection>(std::move(socket), std::move(served), std::move(channels), overlapped)
        ->read();
}

}  // namespace rt::lab
