#include "lab/bench/traffic_log.hpp"

#include <cerrno>
#include <cstring>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"

namespace rt::lab {

TrafficLog::TrafficLog(const std::filesystem::path& file) : file_(std::fopen(file.c_str(), "ae")) {
    if (!file_) fail_input(file.string(), std::string("cannot be written: ") + std::strerror(errno));
}

void TrafficLog::line(const std::string& role, char direction, std::string_view text) {
    std::string out = utc_now() + " " + role + " " + direction + " ";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x20 || byte >= 0x7f) {
            out += "\\x" + hex(byte, 2);
        } else {
            out += c;
        }
    }
    std::fprintf(file_.get(), "%s\n", out.c_str());
    std::fflush(file_.get());
}

}  // namespace rt::lab
