#include "lab/clock.hpp"

#include <atomic>
#include <cstdlib>
#include <ctime>
#include <optional>
#include <thread>

namespace rt::lab {

using Wall = std::chrono::system_clock;
using std::chrono::milliseconds;

static const Clock& own_clock() {
    static const Clock own;
    return own;
}

static std::atomic<const Clock*> in_use{nullptr};

std::chrono::system_clock::time_point Clock::wall() const {
    return Wall::now();
}

std::chrono::steady_clock::time_point Clock::steady() const {
    return std::chrono::steady_clock::now();
}

void Clock::sleep(double seconds) const {
    std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
}

const Clock& clock() {
    const Clock* other = in_use;
    return other ? *other : own_clock();
}

ClockInstead::ClockInstead(const Clock& other) : before_(in_use.exchange(&other)) {}

ClockInstead::~ClockInstead() {
    in_use = before_;
}

static std::string text_of(Wall::time_point time) {
    const std::time_t seconds = Wall::to_time_t(time);
    const auto part = std::chrono::duration_cast<milliseconds>(time.time_since_epoch()).count() % 1000;
    std::tm parts{};
    gmtime_r(&seconds, &parts);
    char text[48];
    const std::size_t length = std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%S", &parts);
    return std::string(text, length) + "." + std::to_string(1000 + part).substr(1) + "Z";
}

static std::optional<Wall::time_point> parse(const std::string& text) {
    std::tm parts{};
    const char* rest = strptime(text.c_str(), "%Y-%m-%dT%H:%M:%S", &parts);
    if (!rest) return std::nullopt;
    int thousandths = 0;
    if (*rest == '.') thousandths = std::atoi(std::string(rest + 1).substr(0, 3).c_str());
    return Wall::from_time_t(timegm(&parts)) + milliseconds(thousandths);
}

std::string utc_now() {
    return text_of(clock().wall());
}

std::string utc_after(const std::string& time, double seconds) {
    const auto start = parse(time);
    if (!start) return time;
    return text_of(*start + milliseconds(static_cast<long long>(seconds * 1000)));
}

double seconds_between(const std::string& a, const std::string& b) {
    const auto from = parse(a), to = parse(b);
    return from && to ? std::chrono::duration<double>(*to - *from).count() : 0;
}

std::string today() {
    const std::time_t now = Wall::to_time_t(clock().wall());
    std::tm parts{};
    gmtime_r(&now, &parts);  // the same day wherever the bench stands, and whatever its time zone is set to
    char text[16];
    return std::string(text, std::strftime(text, sizeof text, "%Y-%m-%d", &parts));
}

}  // namespace rt::lab
