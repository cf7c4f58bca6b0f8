// How the fields of a message are read: bits by their numbers in C/S T.001.
#pragma once

#include <fmt/core.h>

#include <array>
#include <initializer_list>

#include "core/base/text.hpp"
#include "core/measure/beacon/frame.hpp"

namespace rt::beacon {

inline constexpr int first_bit = 25, short_end = 112, long_end = 144;

// Bits by their numbers in the standard.
class Message {
  public:
    explicit Message(std::vector<std::uint8_t> bits) : bits_(std::move(bits)) {}

    int end() const { return first_bit + static_cast<int>(bits_.size()) - 1; }
    std::uint8_t bit(int n) const { return bits_[static_cast<std::size_t>(n - first_bit)]; }
    std::uint32_t number(int from, int to) const {
        std::uint32_t out = 0;
        for (int n = from; n <= to; ++n) out = out << 1 | bit(n);
        return out;
    }
    std::string text(int from, int to) const {
        std::string out;
        for (int n = from; n <= to; ++n) out += bit(n) ? '1' : '0';
        return out;
    }
    std::span<const std::uint8_t> span(int from, int to) const {
        return std::span(bits_).subspan(static_cast<std::size_t>(from - first_bit),
                                        static_cast<std::size_t>(to - from + 1));
    }
    std::span<std::uint8_t> span(int from, int to) {
        return std::span(bits_).subspan(static_cast<std::size_t>(from - first_bit),
                                        static_cast<std::size_t>(to - from + 1));
    }
    void fill(int from, int to, std::uint8_t value) {
        for (auto& bit : span(from, to)) bit = value;
    }

  private:
    std::vector<std::uint8_t> bits_;
};

class Reading {
  public:
    Reading(Message message, Frame& out) : m_(std::move(message)), out_(out) {}
    void all();

  private:
    void add(const char* name, int first, int last, std::string value) {
        out_.fields.push_back({name, std::move(value), first, last});
    }
    void add_number(const char* name, int first, int last) {
        add(name, first, last, std::to_string(m_.number(first, last)));
    }
    void add_letters(const char* name, int first, int last, std::size_t each = 6) {
        const std::string text(trim(baudot(m_.span(first, last), each)));
        if (text.find('?') != std::string::npos)
            broken(first, last, "holds a code that is no letter or figure");
        add(name, first, last, text);
    }
    void add_hex(const char* name, int first, int last) {
        add(name, first, last, fmt::format("{:0{}X}", m_.number(first, last), (last - first + 4) / 4));
    }
    void broken(int first, int last, const std::string& why) {
        out_.broken.push_back(
            first == last ? fmt::format("bit {} {}", first, why)
                          : fmt::format("bits {} to {} ({}): {}", first, last, m_.text(first, last), why));
    }
    void user();
    void serial_user();
    void location();
    void read_country();
    void beacon_number(int first, int last) { add_letters("beacon number", first, last); }
    void mmsi(int first, int last);
    void auxiliary();
    void emergency();
    void homing(int bit) { add("121.5 MHz homing", bit, bit, m_.bit(bit) ? "yes" : "no"); }
    void source(int bit) { add("source of the position", bit, bit, m_.bit(bit) ? "internal" : "external"); }
    void standard_position();
    void national_position();
    void return_link_position();
    void user_position();
    void identity(int from, int to, std::initializer_list<std::array<int, 3>> defaults);
    // Degrees of latitude and longitude and what is added to each, in seconds; negative for none stated.
    struct Part {
        std::uint8_t sign;
        double degrees;
        bool stated;
    };
    void place(int first, int last, Part latitude, Part longitude, std::optional<double> latitude_offset,
               std::optional<double> longitude_offset, double step, double offset_step);
    std::optional<double> offset(int sign, int minutes, int minutes_end, int seconds_end, const char* name);
    bool second_part() const { return out_.is_long && out_.second_errors.has_value(); }

    Message m_;
    Frame& out_;
};

}  // namespace rt::beacon
