// A listener on the loopback address that answers one client by a script: for instruments that misbehave.
#pragma once

#include <arpa/inet.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <functional>
#include <map>
#include <string>
#include <thread>
#include <tuple>
#include <utility>

#include "lab/formats/dialect_file.hpp"
#include "lab/model/bench.hpp"
#include "tests/lab/loopback.hpp"

// What lines of SCPI have set, told when it is asked for: "POWer -30" makes "POWer?" answer "-30".
class Remembered {
  public:
    // Of a line of several commands, the answer of the last question.
    std::string reply(const std::string& line) {
        std::string answer;
        for (std::size_t at = 0; at < line.size();) {
            const auto end = std::min(line.find(";:", at), line.size());
            const std::string one = line.substr(at, end - at);
            const auto header = one.substr(0, one.find_first_of(" ?"));
            if (one == header + "?" && values_.contains(header)) answer = values_[header] + "\n";
            // A switch is answered as a number (SCPI 1999, 7.3).
            if (one.starts_with(header + " ")) {
                const std::string value = one.substr(header.size() + 1);
                values_[header] = value == "ON" ? "1" : value == "OFF" ? "0" : value;
            }
            at = end + 2;
        }
        return answer;
    }

  private:
    std::map<std::string, std::string> values_;
};

class FakeInstrument {
  public:
    // `answer` gets each line; what it returns is sent as it is, "" sends nothing, "\xFF" closes.
    explicit FakeInstrument(std::function<std::string(const std::string&)> answer)
        : answer_(std::move(answer)) {
        std::tie(listener_, port_) = loopback_listener();
        thread_ = std::jthread([this] { serve(); });
    }
    ~FakeInstrument() {
        ::shutdown(listener_, SHUT_RDWR);
        if (client_ >= 0) ::shutdown(client_, SHUT_RDWR);
        thread_.join();
        ::close(listener_);
    }
    std::string port() const { return std::to_string(port_); }

    // An entry for it in a bench, with the shipped analyser dialect. What answers is waited for long: a busy
    // machine is no fault; what never does may be given up soon.
    rt::lab::Instrument instrument(double timeout_s = 10) const {
        rt::lab::Instrument out;
        out.role = "analyser";
        out.name = "fake";
        out.address = "tcp://127.0.0.1:" + port();
        out.place = rt::lab::parse_address(out.address);
        out.dialect =
            rt::lab::read_dialect(std::filesystem::path(RT_SOURCE) / "dialects" / "scpi-analyser.toml");
        out.timeout_s = timeout_s;
        out.impedance_ohm = 50;
        out.scan_bandwidth_hz = 1e9;
        return out;
    }

  private:
    void serve() {
        for (;;) {
            client_ = ::accept(listener_, nullptr, nullptr);
            if (client_ < 0) return;
            std::string line;
            char c;
            while (::read(client_, &c, 1) == 1) {
                if (c != '\n') {
                    line += c;
                    continue;
                }
                const std::string reply = answer_(line);
                line.clear();
                if (reply == "\xFF") break;
                if (!reply.empty() && ::send(client_, reply.data(), reply.size(), MSG_NOSIGNAL) < 0) break;
            }
            ::close(client_.exchange(-1));
        }
    }

    std::function<std::string(const std::string&)> answer_;
    int listener_ = -1;
    std::atomic<int> client_ = -1;
    unsigned short port_ = 0;
    std::jthread thread_;
};
