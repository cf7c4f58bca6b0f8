#include "core/measure/module/reader.hpp"

#include <fmt/core.h>

#include <bit>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::management {

const char* name(Measured measured) {
    switch (measured) {
        case Measured::temperature:
            return "temperature";
        case Measured::supply:
            return "supply";
        case Measured::bias:
            return "bias";
        case Measured::tx_power:
            return "tx_power";
        default:
            return "rx_power";
    }
}

Unit unit_of(Measured measured) {
    switch (measured) {
        case Measured::temperature:
            return Unit::celsius;
        case Measured::supply:
            return Unit::volt;
        case Measured::bias:
            return Unit::ampere;
        default:
            return Unit::watt;
    }
}

State state_of(double value, const Four& limits) {
    if (value > limits.high_alarm) return State::high_alarm;
    if (value < limits.low_alarm) return State::low_alarm;
    if (value > limits.high_warning) return State::high_warning;
    if (value < limits.low_warning) return State::low_warning;
    return State::normal;
}

std::optional<int> Reader::byte(int place) const {
    const auto value = registers_.at(device_, page_, place);
    return value ? std::optional<int>(*value) : std::nullopt;
}

std::optional<double> Reader::unsigned16(int place) const {
    const auto high = byte(place), low = byte(place + 1);
    if (!high || !low) return std::nullopt;
    return *high * 256 + *low;
}

std::optional<double> Reader::signed16(int place) const {
    const auto value = unsigned16(place);
    return value && *value >= 32768 ? std::optional(*value - 65536) : value;
}

std::optional<double> Reader::single(int place) const {
    std::uint32_t bits = 0;
    for (int i = 0; i < 4; ++i) {
        const auto value = byte(place + i);
        if (!value) return std::nullopt;
        bits = bits << 8 | static_cast<std::uint32_t>(*value);
    }
    const double value = std::bit_cast<float>(bits);
    return std::isfinite(value) ? std::optional(value) : std::nullopt;
}

bool Reader::bit(int place, int number) const {
    return (byte(place).value_or(0) >> number & 1) != 0;
}

std::string Reader::text(int first, int last) const {
    std::string out;
    for (int place = first; place <= last; ++place) {
        const auto value = byte(place);
        if (!value) return {};
        out += *value >= 32 && *value < 127 ? static_cast<char>(*value) : *value == 0 ? ' ' : '?';
    }
    return std::string(trim(out));
}

std::string Reader::octets(int first, int last) const {
    std::string out;
    for (int place = first; place <= last; ++place) {
        const auto value = byte(place);
        if (!value) return {};
        out += fmt::format("{}{:02X}", out.empty() ? "" : "-", *value);
    }
    return out;
}

std::string Reader::date(int first) const {
    const std::string text = this->text(first, first + 7);
    for (std::size_t i = 0; i < 6; ++i)
        if (text.size() < 6 || text[i] < '0' || text[i] > '9') return text;
    std::string out = "20" + text.substr(0, 2) + "-" + text.substr(2, 2) + "-" + text.substr(4, 2);
    const std::string lot(trim(std::string_view(text).substr(6)));
    if (!lot.empty()) out += ", lot " + lot;
    return out;
}

std::optional<Four> Reader::four(int place, bool is_signed, double step) const {
    std::array<double, 4> values{};
    for (int i = 0; i < 4; ++i) {
        const auto value = is_signed ? signed16(place + 2 * i) : unsigned16(place + 2 * i);
        if (!value) return std::nullopt;
        values[static_cast<std::size_t>(i)] = *value * step;
    }
    if (!(values[0] > values[1])) return std::nullopt;
    return Four{values[0], values[1], values[2], values[3]};
}

void Reader::check(int first, int last, int place, Module& out) const {
    const auto bytes = registers_.range(device_, page_, first, last);
    const auto stated = registers_.at(device_, page_, place);
    const std::string area = fmt::format("{} to {}", name(first), last);
    if (!bytes || !stated) {
        if (out.no_checksums.empty())
            out.no_checksums = "the registers do not hold all of " + area + ", or its sum";
        return;
    }
    unsigned sum = 0;
    for (const auto value : *bytes) sum += value;
    out.checksums.push_back({area, name(place), *stated, static_cast<std::uint8_t>(sum & 255)});
}

void add_monitor(const Reader& reader, int place, Measured measured, int lane, double step, Module& out) {
    const auto value = measured == Measured::temperature ? reader.signed16(place) : reader.unsigned16(place);
    if (!value) {
        out.no_value.emplace(measured, "the registers do not hold it (" + reader.name(place) + ")");
        return;
    }
    out.monitors.push_back({measured, lane, *value * step, {}, {}});
}

void add_identity(Module& out, const char* what, std::string value) {
    if (!value.empty()) out.identity.emplace_back(what, std::move(value));
}

void add_latched(Module& out, Measured measured, int lane, bool high_alarm, bool low_alarm, bool high_warning,
                 bool low_warning) {
    for (auto& monitor : out.monitors) {
        if (monitor.measured != measured || monitor.lane != lane) continue;
        if (high_alarm) monitor.latched.push_back(State::high_alarm);
        if (low_alarm) monitor.latched.push_back(State::low_alarm);
        if (high_warning) monitor.latched.push_back(State::high_warning);
        if (low_warning) monitor.latched.push_back(State::low_warning);
    }
}

Totals totals_of(const Module& module, const std::set<int>* lanes) {
    const auto alarm = [](State s) { return s == State::low_alarm || s == State::high_alarm; };
    const auto counts = [&](int lane) { return lane == 0 || !lanes || lanes->contains(lane); };
    Totals out;
    for (const auto& monitor : module.monitors) {
        if (!counts(monitor.lane)) continue;
        for (const auto state : monitor.latched)
            (alarm(state) ? out.latched_alarms : out.latched_warnings) += 1;
        if (!monitor.limits) continue;
        ++out.limited;
        const State state = state_of(monitor.value, *monitor.limits);
        out.alarms += alarm(state);
        out.warnings += !alarm(state) && state != State::normal;
    }
    for (const auto& flag : module.faults) out.faults += counts(flag.lane);
    return out;
}

Module read_module(const Registers& registers) {
    const auto identifier = registers.at(0, 0, 0);
    if (!identifier) fail_signal("the registers do not hold byte 0 of A0h, which says what the module is");
    switch (*identifier) {
        case 0x03:  // SFP, SFP+
        case 0x0B:  // DWDM SFP
            return read_sff_8472(registers);
        case 0x0C:  // QSFP
        case 0x0D:  // QSFP+
        case 0x11:  // QSFP28
            return read_sff_8636(registers);
        case 0x18:  // QSFP-DD
        case 0x19:  // OSFP
        case 0x1E:  // QSFP+ with CMIS
            return read_cmis(registers);
        default:
            fail_signal(fmt::format(
                "identifier {:02X}h is none of SFP (03h, 0Bh), QSFP (0Ch, 0Dh, 11h) and CMIS (18h, 19h, 1Eh)",
                *identifier));
    }
}

}  // namespace rt::management
