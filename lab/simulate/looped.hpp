// Signals out of a generator of samples on the simulated bench, and a receiver of the unit that sends back
// what it makes of them.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"

namespace rt::lab {

struct Wire;
struct WaveDisplay;

extern const SectionInfo looped_section;

// What a generator plays, again and again.
struct PlayedSamples {
    std::shared_ptr<const std::vector<float>> volts;  // one turn; null for none
    double rate_hz = 1;
    bool on = false;

    bool there() const { return on && volts && volts->size() > 1; }
};

// The same behind a cable.
PlayedSamples behind(const PlayedSamples& played, const Wire& wire);

// What an oscilloscope shows of it, from a moment of chance on: between samples by windowed sinc.
std::vector<double> show_samples(const PlayedSamples& played, const WaveDisplay& display, std::uint64_t seed);

// A receiver in loop-back: a low-pass, a slicer with noise, a clock loop of second order that follows the
// edges, and a transmitter that sends the bits with the recovered clock.
struct Looped {
    std::string port, out;
    std::map<std::string, std::string> when;
    double rate_bit_s = 0, threshold_v = 0, noise_v = 0, bandwidth_hz = 0, loop_hz = 0;
    double amplitude_v = 0, rise_s = 0;
    // Settings of the unit that move where it samples, in intervals, and its threshold, in volts; "" for
    // none.
    std::string phase_setting, threshold_setting;
    double phase_ui = 0;
    // Sends nothing back until bursts with pauses between have arrived since it got its supply.
    bool out_of_band = false;
};
// Whether what is played holds four bursts of 50 ns to 250 ns with at least 80 ns of rest between, as those
// that bring a link up out of band.
bool holds_bursts(const PlayedSamples& played);

Looped read_looped(const ConfigSection& section, const std::map<std::string, std::string>& settings);

// What it sends back, from a moment at which its loop has long settled.
std::vector<double> show_looped(const Looped& looped, const PlayedSamples& arriving,
                                const WaveDisplay& display, std::uint64_t seed);

}  // namespace rt::lab
