// What is switched while a record runs: an interferer that begins and ends within it.
#pragma once

#include <condition_variable>
#include <exception>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "lab/run/instruments.hpp"

namespace rt::lab {

// Counts from its construction. Each step is sent when its time has come and read back; no role in it may be
// used by anybody else until finish().
class Switching {
  public:
    Switching(const std::vector<During>& steps, BenchConnection& bench);
    ~Switching();

    // Waits for the last step. Throws Error(bench) naming the role that failed, after noting it as the one in
    // use; gives why something is not as it was switched, "" when all is.
    std::string finish();
    // Who is switched.
    static std::vector<std::string> roles_of(const std::vector<During>& steps);

  private:
    void run(const std::vector<During>& steps);
    bool wait_for(double seconds);

    BenchConnection& bench_;
    std::chrono::steady_clock::time_point begun_ = std::chrono::steady_clock::now();
    std::mutex mutex_;
    std::condition_variable woken_;
    bool given_up_ = false;
    std::string doubt_, at_;  // the role of the step under way
    std::exception_ptr failed_;
    std::thread thread_;
};

}  // namespace rt::lab
