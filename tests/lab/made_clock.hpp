// A clock that stands still until it is told, or until somebody sleeps.
#pragma once

#include "lab/clock.hpp"

class MadeClock : public rt::lab::Clock {
  public:
    explicit MadeClock(long long unix_seconds) : wall_(std::chrono::seconds(unix_seconds)) {}

    std::chrono::system_clock::time_point wall() const override { return wall_ + passed(); }
    std::chrono::steady_clock::time_point steady() const override {
        return std::chrono::steady_clock::time_point(passed());
    }
    void sleep(double seconds) const override { pass(seconds); }
    void pass(double seconds) const { passed_s_ += seconds; }
    // Somebody sets the clock on the wall; what only runs forward does not notice.
    void set_back(double seconds) { wall_ -= std::chrono::seconds(static_cast<long long>(seconds)); }

  private:
    std::chrono::nanoseconds passed() const {
        return std::chrono::nanoseconds(static_cast<long long>(passed_s_ * 1e9));
    }
    std::chrono::system_clock::time_point wall_;
    mutable double passed_s_ = 0;
};
