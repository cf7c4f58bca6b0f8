#include "lab/clock.hpp"

#include <chrono>
#include <cstdlib>
#include <ctime>
#include <optional>

namespace rt::lab {

using Clock = std::chrono::system_clock;
using std::chrono::milliseconds;

static std::string text_of(Clock::time_point time) {
    const std::time_t seconds = Clock::to_time_t(time);
    const auto part = std::chrono::duration_cast<milliseconds>(time.time_since_epoch()).count() % 1000;
    std::tm parts{};
    gmtime_r(&seconds, &parts);
    char text[48];
    const std::size_t length = std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%S", &parts);
    return std::string(text, length) + "." + std::to_string(1000 + part).substr(1) + "Z";
}

static std::optional<Clock::time_point> parse(const std::string& text) {
    std::tm parts{};
    const char* rest = strptime(text.c_str(), "%Y-%m-%dT%H:%M:%S", &parts);
    if (!rest) return std::nullopt;
    int thousandths = 0;
    if (*rest == '.') thousandths = std::atoi(std::string(rest + 1).substr(0, 3).c_str());
    return Clock::from_time_t(timegm(&parts)) + milliseconds(thousandths);
}

std::string utc_now() {
    return text_of(Clock::now());
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
    const std::time_t now = std::time(nullptr);
    std::tm parts{};
    gmtime_r(&now, &parts);  // the same day wherever the bench stands, and whatever its time zone is set to
    char text[16];
    return std::string(text, std::strftime(text, sizeof text, "%Y-%m-%d", &parts));
}

}  // namespace rt::lab
