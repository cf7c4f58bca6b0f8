// The two lines of a USB 2.0 port as a row of bus states.
#pragma once

#include <vector>

#include "core/signal/waveform.hpp"

namespace rt {

enum class UsbState {
    idle,     // both low: high-speed idle, SE0
    j,        // full-speed J: D+ high
    k,        // full-speed K: D- high
    chirp_j,  // D+ above D- for longer than packets keep a level
    chirp_k,  // D- above D+
    traffic,  // high-speed packets and the short idle between them
};

const char* name(UsbState state);

struct UsbStretch {
    UsbState state = UsbState::idle;
    double from_s = 0, to_s = 0;
    double left_s = 0;  // where it left its level; from there to to_s lies the way to the next state
    double plus_v = 0, minus_v = 0;  // means of both lines
    double length_s() const { return to_s - from_s; }
};

// Goes through the record once. Full-speed levels: above 2.0 V and below 0.8 V; a differential voltage above
// 150 mV is a packet, or a chirp when it stays for 10 us. Idle of less than 200 us between packets is
// traffic. Where a level changes between full-speed states the way there belongs to the state before.
std::vector<UsbStretch> usb_states(const WaveSamples& plus, const WaveSamples& minus, double step_s);

}  // namespace rt
