// Where a message says that the beacon is.
#include <cmath>

#include "core/measure/beacon/reading.hpp"

namespace rt::beacon {

void Reading::identity(int from, int to, std::initializer_list<std::array<int, 3>> defaults) {
    Message plain = m_;
    for (const auto& [first, last, value] : defaults)
        plain.fill(first, last, static_cast<std::uint8_t>(value));
    for (int n = from; n <= to; n += 4) out_.identity += fmt::format("{:X}", plain.number(n, n + 3));
}

// Seconds of an offset: its sign (1 adds), minutes, and steps of four seconds; nothing at its default.
std::optional<double> Reading::offset(int sign, int minutes, int minutes_end, int seconds_end,
                                      const char* name) {
    const auto m = m_.number(minutes, minutes_end), s = m_.number(minutes_end + 1, seconds_end);
    constexpr std::uint32_t default_seconds = 15;
    if (m_.bit(sign) == 1 && m == 0 && s == default_seconds) return std::nullopt;
    if (s >= default_seconds)
        broken(minutes_end + 1, seconds_end, std::string(name) + ": there are no 60 seconds");
    return (m_.bit(sign) ? 1.0 : -1.0) * (m * 60.0 + s * 4.0);
}

void Reading::place(int first, int last, Part latitude, Part longitude, std::optional<double> latitude_offset,
                    std::optional<double> longitude_offset, double step, double offset_step) {
    if (!latitude.stated || !longitude.stated) {
        if (latitude.stated != longitude.stated)
            out_.broken.push_back(
                fmt::format("bits {} to {}: one of latitude and longitude is at its default, the "
                            "other is not",
                            first, last));
        out_.no_position = "the message states no position (default)";
        add("position", first, last, "not stated");
        return;
    }
    if (latitude.degrees > 90 || longitude.degrees > 180) {
        broken(first, last,
               fmt::format("there is no latitude of {} or longitude of {} degrees", latitude.degrees,
                           longitude.degrees));
        out_.no_position = "its position is on no map";
        return;
    }
    const auto words = [](double degrees, const char* plus, const char* minus) {
        const double all = std::round(std::abs(degrees) * 3600);
        const auto d = std::floor(all / 3600), m = std::floor((all - d * 3600) / 60);
        return fmt::format("{} {:02} {:02} {}", d, m, all - d * 3600 - m * 60, degrees < 0 ? minus : plus);
    };
    const auto with = [](const Part& part, double offset_s) {
        return (part.sign ? -1 : 1) * (part.degrees + offset_s / 3600);
    };
    add("position", first, last,
        words(with(latitude, 0), "N", "S") + ", " + words(with(longitude, 0), "E", "W"));
    const bool fine = latitude_offset && longitude_offset;
    Frame::Position out{with(latitude, latitude_offset.value_or(0)),
                        with(longitude, longitude_offset.value_or(0)), fine ? offset_step : step};
    if (fine)
        out_.fields.push_back({"position with its offsets",
                               words(out.latitude_deg, "N", "S") + ", " + words(out.longitude_deg, "E", "W"),
                               113, 132});
    if (std::abs(out.latitude_deg) > 90 || std::abs(out.longitude_deg) > 180)
        out_.broken.push_back("bits 113 to 132: the offsets lead off the map");
    out_.position = out;
}

void Reading::standard_position() {
    std::optional<double> latitude, longitude;
    if (second_part()) {
        if (m_.number(107, 110) != 0b1101) broken(107, 110, "must be 1101");
        source(111);
        homing(112);
        latitude = offset(113, 114, 118, 122, "latitude");
        longitude = offset(123, 124, 128, 132, "longitude");
    }
    const auto lat = m_.number(66, 74), lon = m_.number(76, 85);
    place(65, 85, {m_.bit(65), lat / 4.0, lat != 511}, {m_.bit(75), lon / 4.0, lon != 1023}, latitude,
          longitude, 0.25, 4.0 / 3600);
    identity(26, 85, {{65, 65, 0}, {66, 74, 1}, {75, 75, 0}, {76, 85, 1}});
}

void Reading::national_position() {
    std::optional<double> latitude, longitude;
    if (second_part()) {
        if (m_.number(107, 109) != 0b110) broken(107, 109, "must be 110");
        add("further data", 110, 110, m_.bit(110) ? "position offsets" : "national");
        source(111);
        homing(112);
        if (m_.bit(110)) {
            latitude = offset(113, 114, 115, 119, "latitude");
            longitude = offset(120, 121, 122, 126, "longitude");
        }
        add("national use", 127, 132, m_.text(127, 132));
    }
    const auto lat = m_.number(60, 66), lon = m_.number(73, 80);
    const auto lat_min = m_.number(67, 71), lon_min = m_.number(81, 85);
    if (lat != 127 && (lat_min > 29 || lon_min > 29)) broken(67, 85, "there are no 60 minutes");
    place(59, 85, {m_.bit(59), lat + lat_min * 2 / 60.0, lat != 127},
          {m_.bit(72), lon + lon_min * 2 / 60.0, lon != 255}, latitude, longitude, 2.0 / 60, 4.0 / 3600);
    identity(26, 85, {{59, 59, 0}, {60, 66, 1}, {67, 71, 0}, {72, 72, 0}, {73, 80, 1}, {81, 85, 0}});
}

void Reading::return_link_position() {
    std::optional<double> latitude, longitude;
    if (second_part()) {
        latitude = offset(115, 116, 119, 123, "latitude");
        longitude = offset(124, 125, 128, 132, "longitude");
    }
    const auto lat = m_.number(68, 75), lon = m_.number(77, 85);
    place(67, 85, {m_.bit(67), lat / 2.0, lat != 255}, {m_.bit(76), lon / 2.0, lon != 511}, latitude,
          longitude, 0.5, 4.0 / 3600);
    identity(26, 85, {{67, 67, 0}, {68, 75, 1}, {76, 76, 0}, {77, 85, 1}});
}

void Reading::user_position() {
    if (!second_part()) {
        out_.no_position = "the check of the message's second part does not hold";
        return;
    }
    source(107);
    const auto lat = m_.number(109, 115), lon = m_.number(121, 128);
    const auto lat_min = m_.number(116, 119), lon_min = m_.number(129, 132);
    if (lat != 127 && (lat_min > 14 || lon_min > 14)) broken(109, 132, "there are no 60 minutes");
    place(108, 132, {m_.bit(108), lat + lat_min * 4 / 60.0, lat != 127},
          {m_.bit(120), lon + lon_min * 4 / 60.0, lon != 255}, {}, {}, 4.0 / 60, 4.0 / 60);
}

}  // namespace rt::beacon
