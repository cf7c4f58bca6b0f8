// A pseudo-terminal with an instrument at its far end: for serial lines and character devices.
#pragma once

#include <fcntl.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <chrono>
#include <functional>
#include <stop_token>
#include <string>
#include <thread>
#include <utility>

// A pseudo-terminal whose far end answers like a small instrument.
class PtyPeer {
  public:
    explicit PtyPeer(std::function<std::string(const std::string&)> answer)
        : answer_(std::move(answer)), master_(::posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC)) {
        if (master_ < 0 || ::grantpt(master_) != 0 || ::unlockpt(master_) != 0) return;
        name_ = ::ptsname(master_);
        // Raw from the start, and held open, so that nothing echoes and the far end never hangs up.
        slave_ = ::open(name_.c_str(), O_RDWR | O_NOCTTY | O_CLOEXEC);
        termios raw{};
        ::tcgetattr(slave_, &raw);
        ::cfmakeraw(&raw);
        ::tcsetattr(slave_, TCSANOW, &raw);
        ::fcntl(master_, F_SETFL, O_NONBLOCK);
        thread_ = std::jthread([this](std::stop_token stop) { serve(stop); });
    }
    ~PtyPeer() {
        thread_.request_stop();
        if (thread_.joinable()) thread_.join();
        ::close(slave_);
        ::close(master_);
    }
    const std::string& name() const { return name_; }

  private:
    void serve(std::stop_token stop) {
        std::string line;
        while (!stop.stop_requested()) {
            char c = 0;
            if (::read(master_, &c, 1) != 1) {
                std::this_thread::sleep_for(std::chrono::milliseconds(1));
                continue;
            }
            if (c != '\n') {
                line += c;
                continue;
            }
            const std::string text = answer_(line);
            if (!text.empty()) say(text, stop);
            line.clear();
        }
    }
    void say(const std::string& text, std::stop_token stop) {
        // In two parts at least: an answer need not come whole, and the line takes no more than its buffer
        // holds.
        std::size_t said = 0;
        while (said < text.size() && !stop.stop_requested()) {
            const std::size_t part = said == 0 ? 1 : text.size() - said;
            const auto count = ::write(master_, text.data() + said, part);
            if (count > 0) said += static_cast<std::size_t>(count);
            if (count <= 0 || said == 1) std::this_thread::sleep_for(std::chrono::milliseconds(1));
        }
    }

    std::function<std::string(const std::string&)> answer_;
    int master_, slave_ = -1;
    std::string name_;
    std::jthread thread_;
};
