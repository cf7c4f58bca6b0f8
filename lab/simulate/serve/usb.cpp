// A USBTMC device (USB488) whose transfers come over a socket, see lab/session/usb_stand_in.hpp.
#include <boost/asio/read.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/write.hpp>

#include "lab/session/usb_stand_in.hpp"
#include "lab/simulate/serve/served.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

namespace {

class UsbConnection : public std::enable_shared_from_this<UsbConnection> {
  public:
    UsbConnection(tcp::socket socket, std::shared_ptr<Served> served)
        : socket_(std::move(socket)), served_(std::move(served)), timer_(socket_.get_executor()) {}

    void read() {
        asio::async_read(socket_, asio::buffer(head_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->read_body();
                         });
    }

  private:
    void read_body() {
        const std::size_t size = UsbStandIn::number_of({head_.data() + 1, 4});
        if (size > (std::size_t{2} << 20)) return;
        body_.resize(size);
        asio::async_read(socket_, asio::buffer(body_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->take();
                         });
    }

    void take() {
        switch (head_[0]) {
            case 'O':
                return bulk_out();
            case 'I':
                return bulk_in();
            case 'C':
                return control();
            case 'N':
                return notify();
            default:
                return;
        }
    }

    void bulk_out() {
        if (body_.size() < usbtmc::head_size) return;
        const auto kind = static_cast<unsigned char>(body_[0]);
        const auto tag = static_cast<unsigned char>(body_[1]);
        // USBTMC 3.2.1: a head that contradicts itself halts the endpoint.
        if ((tag ^ static_cast<unsigned char>(body_[2])) != 0xff) return;
        if (kind == usbtmc::trigger) return say("");
        if (kind == usbtmc::request_in) {
            asked_ = tag;
            most_ = usbtmc::size_of(body_);
            return say("");
        }
        if (kind != usbtmc::message_out) return;
        const std::size_t size = usbtmc::size_of(body_);
        if (size > body_.size() - usbtmc::head_size) return;
        message_ += body_.substr(usbtmc::head_size, size);
        if (!(body_[8] & 1)) return say("");
        const bool before = served_->status_byte() & 64;
        Reply reply = served_->reply(std::exchange(message_, {}));
        if (reply.drop) return;
        leaves_ = reply.leaves, ended_ = !reply.cut;
        taken_ = 0;
        pending_ = reply.text ? *reply.text + (reply.cut ? "" : "\n") : "";
        if (!before && (served_->status_byte() & 64)) requests_ += std::string("\x81") + status();
        say("");
    }

    void bulk_in() {
        const auto wait = UsbStandIn::number_of(std::string_view(body_).substr(4));
        if (asked_ == 0 || pending_.empty()) {
            timer_.expires_after(std::chrono::milliseconds(wait));
            timer_.async_wait([self = shared_from_this()](const auto& error) {
                if (!error) self->say("");
            });
            return;
        }
        const std::string part = pending_.substr(taken_, most_);
        taken_ += part.size();
        if (taken_ == pending_.size()) pending_.clear(), taken_ = 0;
        const char end = pending_.empty() && ended_ ? 1 : 0;
        const auto tag = std::exchange(asked_, std::uint8_t{0});
        say(usbtmc::padded(usbtmc::head(usbtmc::message_in, tag, static_cast<std::uint32_t>(part.size()),
                                        static_cast<std::uint8_t>(end)) +
                           part),
            leaves_);
    }

    void control() {
        const auto request = static_cast<unsigned char>(body_.at(1));
        const auto value = UsbStandIn::number_of(std::string_view(body_).substr(2));
        const std::string done(1, usbtmc::success);
        switch (request) {
            case usbtmc::initiate_abort_in:
                if (asked_ != value)
                    return say(std::string(1, static_cast<char>(usbtmc::not_in_progress)) + '\0');
                asked_ = 0;
                return say(done + static_cast<char>(value));
            case usbtmc::check_abort_in:
                return say(done + std::string(7, '\0'));
            case usbtmc::initiate_clear:
                message_.clear(), pending_.clear(), taken_ = 0, asked_ = 0;
                clears_ = 2;
                return say(done);
            case usbtmc::check_clear:
                // Takes a moment, as devices do.
                return say((--clears_ > 0 ? std::string(1, usbtmc::pending) : done) + '\0');
            case usbtmc::read_status_byte:
                // By the interrupt endpoint, as a device that has one must.
                requests_ += static_cast<char>(0x80 | value);
                requests_ += status();
                return say(done + static_cast<char>(value) + '\0');
            case usbtmc::remote_enable:
            case usbtmc::go_to_local:
                return say(done);
            default:
                return say("");
        }
    }

    void notify() {
        const std::string note = requests_.substr(0, 2);
        requests_.erase(0, note.size());
        say(note);
    }

    char status() const { return static_cast<char>(served_->status_byte()); }

    void say(const std::string& text, bool leaves = false) {
        out_ = std::string(1, head_[0]) + UsbStandIn::number(text.size()) + text;
        asio::async_write(socket_, asio::buffer(out_),
                          [self = shared_from_this(), leaves](const auto& error, std::size_t) {
                              if (!error && !leaves) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    asio::steady_timer timer_;
    std::array<char, 5> head_;
    std::string body_, message_, pending_, out_, requests_;
    std::uint8_t asked_ = 0;
    std::size_t most_ = 0, taken_ = 0;
    int clears_ = 0;
    bool ended_ = true, leaves_ = false;
};

}  // namespace

void serve_usb(tcp::socket socket, std::shared_ptr<Served> served) {
    std::make_shared<UsbConnection>(std::move(socket), std::move(served))->read();
}

}  // namespace rt::lab
