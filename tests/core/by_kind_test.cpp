// What a signal path does to each kind of capture, against numbers worked out by hand.
#include "core/correct/by_kind.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

SignalPath path(double db) {
    return {{{"cable", false, db, {}, ""}}};
}

// 6 dB at 90 MHz, 10 dB at 110 MHz, on a straight line along frequency: 8 dB at 100 MHz.
SignalPath tilted() {
    return {{{"filter", false, 0, CorrectionTable({90e6, 110e6}, {6, 10}, Between::frequency), ""}}};
}

SignalPath antenna() {
    return {{{"horn", true, 0, CorrectionTable({90e6, 110e6}, {6, 10}), ""}}};
}

// A tone of magnitude 0.1 at 96 MHz in samples around 100 MHz, where full scale is 0 dBm.
IqRecord tone() {
    std::vector<std::complex<float>> samples;
    for (int i = 0; i < 40000; ++i) {
        const double turn = -2 * 3.14159265358979 * 4e6 * i / 20e6;
        samples.emplace_back(static_cast<float>(0.1 * std::cos(turn)),
                             static_cast<float>(0.1 * std::sin(turn)));
    }
    return iq_in_memory(std::move(samples), 20e6, 100e6, 0.0);
}

double value(const char* procedure, Capture capture, const char* result,
             std::initializer_list<std::pair<const char*, const char*>> set = {}) {
    const auto& what = find_procedure(procedure);
    Parameters p(what.parameters);
    for (const auto& [name, text] : set) p.set(name, text);
    p.fill_defaults();
    const Outcome outcome = measure(what, std::move(capture), p);
    REQUIRE_MESSAGE(outcome.find_result(result), outcome.invalid.value_or("no reason"));
    return outcome.find_result(result)->value.value;
}

}  // namespace

TEST_CASE("complex samples count at the unit: their level at the centre, their spectra at each frequency") {
    Capture through = tone();
    correct(through, tilted());
    CHECK(corrected(through));
    // At the centre 8 dB; at the tone, 4 MHz below, 7.2 dB. -20 dBm read at the analyser.
    CHECK(*std::get<IqRecord>(through).path_db == about(8));
    CHECK(*std::get<IqRecord>(through).reference_level_dbm == about(8));
    CHECK(std::get<IqRecord>(through).tilt_db(96e6) == about(-0.8));
    CHECK(value("radio.spurious", through, "highest_level", {{"bandwidth", "100 kHz"}}) ==
          about(-12.8).epsilon(0.01));
    CHECK(value("spectrum.density", through, "total_power") == about(-12.8).epsilon(0.01));
    // Without a table nothing depends on frequency.
    Capture plain = tone();
    correct(plain, path(10));
    CHECK(std::get<IqRecord>(plain).path_tilt.empty());
    CHECK(value("spectrum.density", plain, "total_power") == about(-10).epsilon(0.001));
    // Once is enough: what was corrected stays as it is.
    correct(plain, path(10));
    CHECK(*std::get<IqRecord>(plain).path_db == about(10));
}

TEST_CASE("waveforms by their ratio, power at its frequency, spectra at each") {
    Capture wave = waveform_in_memory(std::vector<double>{0.1, -0.2, 0.3}, 1e-9);
    correct(wave, path(20));
    const auto& w = std::get<Waveform>(wave);
    CHECK(*w.path_ratio == about(10));
    CHECK(w.volts()[1] == about(-2));
    Capture power = PowerReading{-30, 100e6};
    correct(power, tilted());
    CHECK(std::get<PowerReading>(power).level_dbm == about(-22));
    CHECK(*std::get<PowerReading>(power).correction_db == about(8));
    Spectrum s;
    s.frequency_hz = {90e6, 110e6}, s.level = {1, 2}, s.unit = Unit::dbuv, s.impedance_ohm = 50;
    Capture spectrum = s;
    correct(spectrum, antenna());
    CHECK(std::get<Spectrum>(spectrum).level == std::vector<double>{7, 12});
    CHECK(std::get<Spectrum>(spectrum).unit == Unit::dbuv_per_metre);
}

TEST_CASE("what a path cannot be taken out of is refused with the reason") {
    const CaptureSetup network = NetworkSetup{}, counts = CountSetup{}, waveform = WaveformSetup{},
                       power = PowerSetup{}, iq = IqSetup{}, spectrum = SpectrumSetup{};
    CHECK(path_refusal(network, path(10)).find("calibrate the analyser") != std::string::npos);
    CHECK(path_refusal(counts, path(10)).find("no level") != std::string::npos);
    CHECK(path_refusal(waveform, tilted()).find("differ by 4 dB") != std::string::npos);
    for (const CaptureSetup& kind : {power, iq, waveform})
        CHECK(path_refusal(kind, antenna()).find("field strength") != std::string::npos);
    // No path, no refusal; and the right twins.
    for (const CaptureSetup& kind : {spectrum, power, counts, iq, waveform, network})
        CHECK(path_refusal(kind, {}).empty());
    CHECK(path_refusal(spectrum, antenna()).empty());
    CHECK(path_refusal(iq, tilted()).empty());
    CHECK(path_refusal(waveform, path(20)).empty());
    Capture network_data = Network{};
    CHECK(path_refusal(network_data, path(1)) == path_refusal(network, path(1)));
    CHECK_THROWS_AS(correct(network_data, path(1)), Error);
}
