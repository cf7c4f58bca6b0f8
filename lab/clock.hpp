// Time: the clock on the wall, the one that only runs forward, and waiting. Runs take all three from here, so
// that tests can put a clock of their own in its place. Sessions wait for answers of the outside by
// themselves.
#pragma once

#include <chrono>
#include <string>

namespace rt::lab {

class Clock {
  public:
    virtual ~Clock() = default;
    virtual std::chrono::system_clock::time_point wall() const;
    virtual std::chrono::steady_clock::time_point steady() const;
    virtual void sleep(double seconds) const;
};

// The clock in use.
const Clock& clock();

// Puts another one in its place while it lives.
class ClockInstead {
  public:
    explicit ClockInstead(const Clock& other);
    ~ClockInstead();
    ClockInstead(const ClockInstead&) = delete;
    ClockInstead& operator=(const ClockInstead&) = delete;

  private:
    const Clock* before_;
};

// How long ago it was started.
class Stopwatch {
  public:
    Stopwatch() : start_(clock().steady()) {}
    double seconds() const { return std::chrono::duration<double>(clock().steady() - start_).count(); }

  private:
    std::chrono::steady_clock::time_point start_;
};

// So many seconds from when it was made.
class Deadline {
  public:
    explicit Deadline(double seconds) : seconds_(seconds) {}
    bool passed() const { return watch_.seconds() >= seconds_; }
    double left() const { return seconds_ - watch_.seconds(); }

  private:
    Stopwatch watch_;
    double seconds_;
};

// Now, UTC, as 2026-05-04T08:15:30.123Z.
std::string utc_now();
// `seconds` after a time of utc_now(); an empty text or another form is taken as it is.
std::string utc_after(const std::string& time, double seconds);
// Seconds from `a` to `b`, times of utc_now(); 0 when either has another form.
double seconds_between(const std::string& a, const std::string& b);
// Today's date, UTC, as 2026-05-04.
std::string today();

}  // namespace rt::lab
