// Somebody on the loopback address who answers whatever it is told by made-up bytes, piece by piece, and
// hangs up when they are used up. An octet says how long the piece behind it is.
#pragma once

#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstdint>
#include <string>
#include <string_view>
#include <thread>
#include <tuple>
#include <vector>

#include "tests/lab/loopback.hpp"

namespace fuzz {

// Remote procedure calls name their answers: the number of the call stands in front of each then, behind the
// length of the record (RFC 5531).
enum class Calls { none, numbered };

class Answering {
  public:
    Answering(std::string_view bytes, Calls calls) : left_(bytes), calls_(calls) {
        std::tie(listener_, port_) = loopback_listener();
        thread_ = std::thread([this] { serve(); });
    }
    ~Answering() {
        ::shutdown(listener_, SHUT_RDWR);
        thread_.join();
        ::close(listener_);
    }
    Answering(const Answering&) = delete;
    Answering& operator=(const Answering&) = delete;
    std::string port() const { return std::to_string(port_); }

  private:
    std::string next_piece(const std::string& heard) {
        const std::size_t size =
            std::min<std::size_t>(static_cast<unsigned char>(left_.front()), left_.size() - 1);
        std::string piece(left_.substr(1, size));
        left_.remove_prefix(size + 1);
        if (calls_ == Calls::none) return piece;
        const std::string number = heard.size() >= 8 ? heard.substr(4, 4) : std::string(4, '\0');
        const auto all =
            static_cast<std::uint32_t>(piece.size() + 4) | 0x80000000U;  // the last of its record
        std::string mark;
        for (const int shift : {24, 16, 8, 0}) mark += static_cast<char>(all >> shift & 0xff);
        return mark + number + piece;
    }

    void serve() {
        std::vector<pollfd> ends{{listener_, POLLIN, 0}};
        std::string heard;
        constexpr int patience_ms = 20, longest = 200;  // rounds
        for (int round = 0; round < longest; ++round) {
            const int ready = ::poll(ends.data(), ends.size(), patience_ms);
            if (ends.front().revents & (POLLHUP | POLLERR)) break;
            if (ends.front().revents & POLLIN) {
                const int client = ::accept(listener_, nullptr, nullptr);
                if (client < 0) break;
                ends.push_back({client, POLLIN, 0});
                continue;
            }
            std::size_t to = ends.size() - 1;
            bool gone = false;
            for (std::size_t i = 1; i < ends.size(); ++i) {
                if (!ends[i].revents) continue;
                char bytes[4096];
                const auto count = ::recv(ends[i].fd, bytes, sizeof bytes, MSG_DONTWAIT);
                gone = gone || count <= 0;
                if (count > 0) heard.assign(bytes, static_cast<std::size_t>(count)), to = i;
            }
            if (gone || (ready == 0 && ends.size() == 1 && round > 10)) break;
            if (to == 0) continue;
            if (left_.empty()) break;
            const std::string piece = next_piece(heard);
            ::send(ends[to].fd, piece.data(), piece.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
        }
        for (std::size_t i = 1; i < ends.size(); ++i) ::close(ends[i].fd);
        // Who still wants to connect is turned away.
        ::shutdown(listener_, SHUT_RDWR);
    }

    std::string_view left_;
    Calls calls_;
    int listener_ = -1;
    std::uint16_t port_ = 0;
    std::thread thread_;
};

}  // namespace fuzz
