#include "core/measure/tone/waveform_source.hpp"

#include "core/base/error.hpp"

namespace rt {

Waveform take_waveform(Capture capture, const char* procedure, const Parameters& parameters) {
    Waveform out;
    if (auto* wave = std::get_if<Waveform>(&capture)) {
        out = std::move(*wave);
    } else if (const auto* record = std::get_if<IqRecord>(&capture)) {
        if (record->size() > 100000000)
            fail_input("the record has more than 100 million samples: cut out a part");
        const auto samples = record->read(0, static_cast<std::size_t>(record->size()));
        const bool second = parameters.text("channel") == "2";
        out.step_s = 1 / record->sample_rate_hz;
        for (const auto& x : samples) out.volts.push_back(static_cast<double>(second ? x.imag() : x.real()));
        out.overload = record->trouble;
    } else {
        fail_input(std::string(procedure) + " needs a waveform (WAV, SigMF or CSV), the capture holds " +
                   kind_name(capture));
    }
    if (out.volts.size() < 64) {
        fail_input("the waveform has " + std::to_string(out.volts.size()) +
                   " samples, at least 64 are needed");
    }
    return out;
}

CaptureSetup waveform_setup(const Parameters&) {
    fail_input(
        "waveforms cannot be recorded by an instrument yet: give a recorded instrument (address "
        "\"captures:...\")");
}

}  // namespace rt
