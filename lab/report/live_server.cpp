#include "lab/report/live_server.hpp"

#include <ifaddrs.h>
#include <net/if.h>
#include <netinet/in.h>
#include <openssl/crypto.h>
#include <openssl/rand.h>
#include <pthread.h>
#include <signal.h>

#include <array>
#include <boost/asio.hpp>
#include <boost/beast.hpp>
#include <chrono>
#include <cstring>
#include <thread>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = beast::http;
using tcp = asio::ip::tcp;

namespace {

std::string random_token() {
    std::array<unsigned char, 16> bytes{};
    if (RAND_bytes(bytes.data(), static_cast<int>(bytes.size())) != 1)
        throw Error(ErrorKind::output, "live page", "no random numbers are to be had for its link");
    std::string out;
    for (const unsigned char b : bytes) {
        constexpr const char* digits = "0123456789abcdef";
        out += digits[b >> 4], out += digits[b & 15];
    }
    return out;
}

tcp::endpoint endpoint_of(const std::string& place) {
    const auto refuse = [&] {
        fail_input("--serve-live " + place + ": write an address of this machine and a port, 192.0.2.4:8080");
    };
    const auto colon = place.rfind(':');
    if (colon == std::string::npos) refuse();
    std::string host = place.substr(0, colon);
    if (host.starts_with('[') && host.ends_with(']')) host = host.substr(1, host.size() - 2);
    const auto port = to_double(place.substr(colon + 1));
    boost::system::error_code error;
    const auto address = asio::ip::make_address(host, error);
    if (error || !port || *port < 0 || *port > 65535 || *port != static_cast<int>(*port)) refuse();
    return {address, static_cast<unsigned short>(*port)};
}

// One request of one visitor; longer than a few seconds nobody holds a connection.
class Visit : public std::enable_shared_from_this<Visit> {
  public:
    Visit(tcp::socket socket, std::string path, const std::filesystem::path& page)
        : stream_(std::move(socket)), path_(std::move(path)), page_(page) {}

    void begin() {
        parser_.header_limit(8192);
        parser_.body_limit(0);
        stream_.expires_after(std::chrono::seconds(5));
        http::async_read(stream_, buffer_, parser_,
                         [self = shared_from_this()](beast::error_code error, std::size_t) {
                             if (!error) self->answer();
                         });
    }

  private:
    void answer() {
        const auto& request = parser_.get();
        const std::string target(request.target());
        const bool known =
            target.size() == path_.size() && CRYPTO_memcmp(target.data(), path_.data(), path_.size()) == 0;
        const bool asks = request.method() == http::verb::get || request.method() == http::verb::head;
        response_.version(request.version());
        response_.keep_alive(false);
        response_.set(http::field::content_type, known ? "text/html; charset=utf-8" : "text/plain");
        response_.set(http::field::cache_control, "no-store");
        response_.set("Referrer-Policy", "no-referrer");
        response_.set("X-Content-Type-Options", "nosniff");
        if (!known || !asks) {
            response_.result(http::status::not_found);
            response_.body() = "nothing here\n";
        } else {
            try {
                response_.body() = read_file(page_);
            } catch (const Error&) {
                response_.result(http::status::service_unavailable);
                response_.body() = "not yet\n";
            }
        }
        response_.prepare_payload();
        if (request.method() == http::verb::head) response_.body().clear();
        stream_.expires_after(std::chrono::seconds(5));
        http::async_write(stream_, response_, [self = shared_from_this()](beast::error_code, std::size_t) {
            beast::error_code ignored;
            self->stream_.socket().shutdown(tcp::socket::shutdown_send, ignored);
        });
    }

    beast::tcp_stream stream_;
    beast::flat_buffer buffer_{16384};
    http::request_parser<http::string_body> parser_;
    http::response<http::string_body> response_;
    std::string path_;
    const std::filesystem::path& page_;
};

}  // namespace

struct LiveServer::State {
    asio::io_context context;
    tcp::acceptor acceptor{context};
    std::string token = random_token();
    std::filesystem::path page;
    std::jthread thread;

    void wait() {
        acceptor.async_accept([this](boost::system::error_code error, tcp::socket socket) {
            if (error == asio::error::operation_aborted) return;
            if (!error) std::make_shared<Visit>(std::move(socket), "/" + token, page)->begin();
            wait();
        });
    }
};

LiveServer::LiveServer(const std::string& place, std::filesystem::path page)
    : state_(std::make_unique<State>()) {
    state_->page = std::move(page);
    const tcp::endpoint endpoint = endpoint_of(place);
    try {
        state_->acceptor.open(endpoint.protocol());
        state_->acceptor.set_option(tcp::acceptor::reuse_address(true));
        state_->acceptor.bind(endpoint);
        state_->acceptor.listen();
    } catch (const boost::system::system_error& error) {
        throw Error(ErrorKind::output, "live page",
                    "nobody can listen at " + place + ": " + error.code().message());
    }
    state_->wait();
    // Signals are for the thread that waits for answers.
    sigset_t all, before;
    ::sigfillset(&all);
    ::pthread_sigmask(SIG_BLOCK, &all, &before);
    state_->thread = std::jthread([state = state_.get()] { state->context.run(); });
    ::pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

LiveServer::~LiveServer() {
    state_->context.stop();
}

std::vector<std::string> LiveServer::links() const {
    const tcp::endpoint at = state_->acceptor.local_endpoint();
    const std::string rest = ":" + std::to_string(at.port()) + "/" + state_->token;
    const auto link = [&](const std::string& host) { return "http://" + host + rest; };
    const auto bracketed = [](const std::string& host) {
        return host.find(':') == std::string::npos ? host : "[" + host + "]";
    };
    if (!at.address().is_unspecified()) return {link(bracketed(at.address().to_string()))};
    std::vector<std::string> out;
    ifaddrs* all = nullptr;
    if (::getifaddrs(&all) == 0) {
        for (const ifaddrs* i = all; i; i = i->ifa_next) {
            if (!i->ifa_addr || i->ifa_addr->sa_family != AF_INET || (i->ifa_flags & IFF_LOOPBACK)) continue;
            sockaddr_in address{};
            std::memcpy(&address, i->ifa_addr, sizeof address);
            out.push_back(link(asio::ip::address_v4(ntohl(address.sin_addr.s_addr)).to_string()));
        }
        ::freeifaddrs(all);
    }
    if (out.empty()) out.push_back(link("127.0.0.1"));
    return out;
}

}  // namespace rt::lab
