// A converter from a raw socket to the GPIB, in words of its own: lines that begin with @ are for it, all
// others for the instrument that is selected. Answers wait until they are read.
#include <boost/asio/read_until.hpp>
#include <boost/asio/write.hpp>

#include "core/base/text.hpp"
#include "lab/simulate/serve/served.hpp"
#include "lab/simulate/serve/server.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

namespace {

class ConverterConnection : public std::enable_shared_from_this<ConverterConnection> {
  public:
    ConverterConnection(tcp::socket socket, std::shared_ptr<Served> served)
        : socket_(std::move(socket)), served_(std::move(served)) {}

    void read() {
        constexpr std::size_t longest = 1 << 25;
        asio::async_read_until(socket_, asio::dynamic_buffer(buffer_, longest), MessageEnd{},
                               [self = shared_from_this()](const auto& error, std::size_t length) {
                                   if (!error) self->take(length);
                               });
    }

  private:
    void take(std::size_t length) {
        const std::string message = buffer_.substr(0, length), line(trim(message));
        buffer_.erase(0, length);
        const std::string address = "@address ";
        if (line.starts_with(address)) {
            selected_ = static_cast<int>(to_double(line.substr(address.size())).value_or(-1));
        } else if (selected_ != simulated_gpib_address) {
            // Nobody is there.
        } else if (line == "@read") {
            if (!pending_.empty()) return say(std::exchange(pending_, {}), leaves_);
        } else if (line == "@poll") {
            return say(std::to_string(served_->status_byte()) + "\n", false);
        } else if (line == "@clear") {
            pending_.clear();
        } else if (!line.starts_with('@')) {
            Reply reply = served_->reply(message);
            if (reply.drop) return;
            leaves_ = reply.leaves;
            pending_ = reply.text ? *reply.text + (reply.cut ? "" : "\n") : "";
        }
        read();
    }

    void say(std::string text, bool leaves) {
        out_ = std::move(text);
        asio::async_write(socket_, asio::buffer(out_),
                          [self = shared_from_this(), leaves](const auto& error, std::size_t) {
                              if (!error && !leaves) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    std::string buffer_, pending_, out_;
    int selected_ = -1;
    bool leaves_ = false;
};

}  // namespace

void serve_converter(tcp::socket socket, std::shared_ptr<Served> served) {
    std::make_shared<ConverterConnection>(std::move(socket), std::move(served))->read();
}

}  // namespace rt::lab
