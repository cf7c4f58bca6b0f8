// Raw socket: messages and answers are lines.
#include <boost/asio/read.hpp>
#include <boost/asio/read_until.hpp>
#include <boost/asio/write.hpp>

#include "lab/simulate/serve/served.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

namespace {

constexpr std::size_t longest_message = 1 << 25;

class LineConnection : public std::enable_shared_from_this<LineConnection> {
  public:
    LineConnection(tcp::socket socket, std::shared_ptr<Served> served)
        : socket_(std::move(socket)), served_(std::move(served)) {}

    void read() {
        asio::async_read_until(socket_, asio::dynamic_buffer(buffer_, longest_message), MessageEnd{},
                               [self = shared_from_this()](const auto& error, std::size_t length) {
                                   if (!error) self->answer(length);
                               });
    }

  private:
    void answer(std::size_t length) {
        std::string message = buffer_.substr(0, length);
        buffer_.erase(0, length);
        // A browser that a page sends here speaks HTTP; nothing of what follows is for an instrument.
        if (std::exchange(first_, false) && message.find(" HTTP/") != std::string::npos) return;
        Reply reply = served_->reply(std::move(message));
        if (reply.drop) return;
        if (!reply.text) return read();
        answer_ = std::move(*reply.text) + (reply.cut ? "" : "\n");
        asio::async_write(socket_, asio::buffer(answer_),
                          [self = shared_from_this(), leaves = reply.leaves](const auto& error, std::size_t) {
                              if (!error && !leaves) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    std::string buffer_, answer_;
    bool first_ = true;
};

}  // namespace

void serve_lines(tcp::socket socket, std::shared_ptr<Served> served) {
    std::make_shared<LineConnection>(std::move(socket), std::move(served))->read();
}

}  // namespace rt::lab
