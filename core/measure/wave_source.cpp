#include "core/measure/wave_source.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {
namespace {

// One component of complex samples.
class Component : public WaveSamples {
  public:
    Component(std::shared_ptr<const IqSamples> samples, bool second)
        : samples_(std::move(samples)), second_(second) {}
    std::uint64_t size() const override { return samples_->size(); }
    void read(std::uint64_t first, std::span<float> out) const override {
        thread_local std::vector<std::complex<float>> both;
        both.resize(out.size());
        samples_->read(first, both);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = second_ ? both[i].imag() : both[i].real();
    }

  private:
    std::shared_ptr<const IqSamples> samples_;
    bool second_;
};

// "1", "1-2" or "(1+2)/2".
struct Channels {
    std::size_t a = 0, b = 0;  // from 1; b is 0 for a single one
    double gain_a = 1, gain_b = 0;
};

Channels parse_channels(const std::string& text, std::size_t count) {
    std::string plain;
    for (const char c : text) {
        if (c != ' ') plain += c;
    }
    const auto number = [&](const std::string& digits) {
        const auto value = to_double(digits);
        if (!value || *value != std::floor(*value) || *value < 1) {
            fail_input("parameter channel: " + in_quotes(text) + " is none; write 1, 1-2 or (1+2)/2");
        }
        if (*value > static_cast<double>(count)) {
            fail_input("parameter channel: the record has no channel " + digits + ", it has " +
                       std::to_string(count));
        }
        return static_cast<std::size_t>(*value);
    };
    if (const auto minus = plain.find('-'); minus != std::string::npos) {
        return {number(plain.substr(0, minus)), number(plain.substr(minus + 1)), 1, -1};
    }
    const auto plus = plain.find('+');
    if (plus != std::string::npos && plain.starts_with("(") && plain.ends_with(")/2")) {
        return {number(plain.substr(1, plus - 1)), number(plain.substr(plus + 1, plain.size() - plus - 4)),
                0.5, 0.5};
    }
    return {number(plain), 0, 1, 0};
}

Signal part(std::shared_ptr<const WaveSamples> samples, double step, const Parameters& p) {
    const auto [first, last] = part_named(p, samples->size(), step, 64, "the waveform");
    const bool all = first == 0 && last == samples->size();
    return {all ? samples : part_of(samples, first, last - first), step, static_cast<double>(first) * step};
}

}  // namespace

std::vector<double> Signal::volts() const {
    Waveform one;
    one.channels = {samples};
    one.step_s = step_s;
    return one.volts();
}

Waveform take_waveform(Capture capture, const char* procedure) {
    if (auto* wave = std::get_if<Waveform>(&capture)) {
        for (const auto& channel : wave->channels) {
            if (channel->size() != wave->size()) {
                fail_input(fmt::format("the channels of the record have different lengths, {} and {} samples",
                                       wave->size(), channel->size()));
            }
        }
        return std::move(*wave);
    }
    if (const auto* record = std::get_if<IqRecord>(&capture)) {
        Waveform out;
        out.step_s = 1 / record->sample_rate_hz;
        out.distrust = record->distrust;
        for (const bool second : {false, true})
            out.channels.push_back(std::make_shared<Component>(record->samples, second));
        return out;
    }
    fail_input(std::string(procedure) + " needs a waveform (WAV, SigMF or CSV), the capture holds " +
               kind_name(capture));
}

Signal signal_of(const Waveform& wave, const Parameters& p) {
    const Channels which = parse_channels(p.text("channel"), wave.channels.size());
    const double ratio = p.number("probe_ratio").value_or(1);
    if (ratio == 0) fail_input("parameter probe_ratio: must not be 0");
    Mix mix{wave.channels[which.a - 1], nullptr, which.gain_a * ratio, which.gain_b * ratio, 0};
    if (which.b) {
        mix.b = wave.channels[which.b - 1];
        mix.delay_samples = p.number("deskew").value_or(0) / wave.step_s;
    }
    const bool plain = !mix.b && mix.gain_a == 1;
    return part(plain ? mix.a : mixed(mix), wave.step_s, p);
}

Signal signal_of(const Waveform& wave, const Parameters& p, std::size_t channel) {
    if (channel < 1 || channel > wave.channels.size()) {
        fail_input(fmt::format("the record has no channel {}, it has {}", channel, wave.channels.size()));
    }
    const double ratio = p.number("probe_ratio").value_or(1);
    const auto& samples = wave.channels[channel - 1];
    return part(ratio == 1 ? samples : mixed({samples, nullptr, ratio, 0, 0}), wave.step_s, p);
}

CaptureSetup waveform_setup(const Parameters& p) {
    WaveformSetup out;
    out.span_s = p.required("duration");
    const double rate = p.required("sample_rate");
    out.range_v = p.required("range");
    out.trigger_v = p.required("trigger_voltage");
    if (!(out.span_s > 0)) fail_input("parameter duration: must be above 0 s");
    if (!(rate > 0)) fail_input("parameter sample_rate: must be above 0 Hz");
    if (!(out.range_v > 0)) fail_input("parameter range: must be above 0 V");
    if (out.span_s * rate > 1e8)
        fail_input(
            "the record would have more than 100000000 samples: shorten duration or lower sample_rate");
    out.points = static_cast<std::size_t>(std::llround(out.span_s * rate)) + 1;
    int highest = 1;
    for (const auto& [name, text] : p.texts()) {
        if (name != "channel" && !name.ends_with("_channel")) continue;
        for (std::size_t i = 0; i < text.size(); ++i) {
            // The 2 of (1+2)/2 is none.
            const bool digit = text[i] >= '1' && text[i] <= '9' && (i == 0 || text[i - 1] != '/');
            if (digit) highest = std::max(highest, text[i] - '0');
        }
    }
    out.channels.clear();
    for (int k = 1; k <= highest; ++k) out.channels.push_back(k);
    return out;
}

}  // namespace rt
