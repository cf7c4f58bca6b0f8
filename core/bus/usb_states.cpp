#include "core/bus/usb_states.hpp"

#include <algorithm>
#include <cmath>

namespace rt {
namespace {

constexpr float full_high = 2.0F, full_low = 0.8F, squelch = 0.15F;
constexpr double chirp_s = 10e-6, packet_gap_s = 200e-6;

UsbState state_of(float plus, float minus) {
    if (plus > full_high && minus < full_low) return UsbState::j;
    if (minus > full_high && plus < full_low) return UsbState::k;
    const float apart = plus - minus;
    if (std::fabs(apart) <= squelch) return UsbState::idle;
    return apart > 0 ? UsbState::chirp_j : UsbState::chirp_k;
}

// Stretches of one state, with sums of the voltages.
struct Builder {
    double step;
    std::vector<UsbStretch> out;
    std::size_t count = 0;

    void add(UsbState state, double at, double plus, double minus) {
        if (out.empty() || out.back().state != state) {
            close();
            out.push_back({state, at, at, at, 0, 0});
            count = 0;
        }
        UsbStretch& s = out.back();
        s.plus_v += plus, s.minus_v += minus;
        ++count;
        s.to_s = s.left_s = at + step;
    }
    void close() {
        if (out.empty() || count == 0) return;
        out.back().plus_v /= static_cast<double>(count);
        out.back().minus_v /= static_cast<double>(count);
        count = 0;
    }
};

bool full_speed(UsbState s) {
    return s == UsbState::j || s == UsbState::k;
}

// One behind the other as a single stretch.
void append(std::vector<UsbStretch>& out, UsbStretch next) {
    if (!out.empty() && out.back().state == next.state) {
        UsbStretch& last = out.back();
        const double a = last.length_s(), b = next.length_s();
        last.plus_v = (last.plus_v * a + next.plus_v * b) / (a + b);
        last.minus_v = (last.minus_v * a + next.minus_v * b) / (a + b);
        last.to_s = next.to_s;
        last.left_s = next.left_s;
        return;
    }
    out.push_back(next);
}

// Short differential levels are packets, or edges of full-speed states.
std::vector<UsbStretch> with_packets(const std::vector<UsbStretch>& raw) {
    std::vector<UsbStretch> out;
    for (std::size_t i = 0; i < raw.size(); ++i) {
        UsbStretch s = raw[i];
        const bool differential = s.state == UsbState::chirp_j || s.state == UsbState::chirp_k;
        if (differential && s.length_s() < chirp_s) {
            const bool edge = (i > 0 && full_speed(raw[i - 1].state)) ||
                              (i + 1 < raw.size() && full_speed(raw[i + 1].state));
            if (edge && !out.empty()) {
                out.back().to_s = s.to_s;
                continue;
            }
            s.state = UsbState::traffic;
        }
        append(out, s);
    }
    return out;
}

}  // namespace

const char* name(UsbState state) {
    constexpr const char* names[] = {"idle", "J", "K", "chirp J", "chirp K", "high-speed traffic"};
    return names[static_cast<std::size_t>(state)];
}

std::vector<UsbStretch> usb_states(const WaveSamples& plus, const WaveSamples& minus, double step_s) {
    Builder builder{step_s, {}, 0};
    constexpr std::uint64_t piece = 1 << 18;
    std::vector<float> p, m;
    for (std::uint64_t at = 0; at < plus.size(); at += piece) {
        p.resize(static_cast<std::size_t>(std::min(piece, plus.size() - at)));
        m.resize(p.size());
        plus.read(at, p);
        minus.read(at, m);
        for (std::size_t i = 0; i < p.size(); ++i)
            builder.add(state_of(p[i], m[i]), static_cast<double>(at + i) * step_s, static_cast<double>(p[i]),
                        static_cast<double>(m[i]));
    }
    builder.close();
    const auto packets = with_packets(builder.out);
    // Short idle between packets, and within a chirp's change of direction.
    std::vector<UsbStretch> out;
    for (std::size_t i = 0; i < packets.size(); ++i) {
        UsbStretch s = packets[i];
        const bool inside = i > 0 && i + 1 < packets.size();
        const bool between =
            inside && packets[i - 1].state == UsbState::traffic && packets[i + 1].state == UsbState::traffic;
        if (s.state == UsbState::idle && between && s.length_s() < packet_gap_s) s.state = UsbState::traffic;
        const auto chirp = [](UsbState x) { return x == UsbState::chirp_j || x == UsbState::chirp_k; };
        if ((s.state == UsbState::idle || s.state == UsbState::traffic) && s.length_s() < 1e-6 && inside &&
            !out.empty() &&
            (chirp(packets[i - 1].state) || chirp(packets[i + 1].state) ||
             full_speed(packets[i - 1].state))) {
            out.back().to_s = s.to_s;
            continue;
        }
        append(out, s);
    }
    return out;
}

}  // namespace rt
