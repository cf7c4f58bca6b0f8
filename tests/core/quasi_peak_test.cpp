// Pulse response and absolute pulse calibration of the detectors against the tables of CISPR 16-1-1.
#include <doctest/doctest.h>

#include <cmath>
#include <vector>

#include "core/dsp/iq_scan.hpp"
#include "core/dsp/quasi_peak.hpp"

using namespace rt;

namespace {

// Pulses of `area` (V s at the matched input) repeated at `rate_hz`, one only when that is 0, tuned to their
// middle: a complex record on which |x| = 1 stands for a sine of 1 V amplitude.
IqRecord pulses(const CisprBand& band, double area, double rate_hz, double seconds) {
    const double fs = 10 * band.bandwidth_hz;
    std::vector<std::complex<float>> samples(static_cast<std::size_t>(seconds * fs));
    const double first = 0.05 * seconds;
    for (double t = first; t<seconds; t += rate_hz> 0 ? 1 / rate_hz : seconds) {
        samples[static_cast<std::size_t>(t * fs)] = static_cast<float>(2 * area * fs);
    }
    return iq_in_memory(std::move(samples), fs, 0, {}, 1e9F);
}

double reading_dbuv(const CisprBand& band, double area, double rate_hz, Detector detector) {
    const double seconds = rate_hz > 0 ? std::max(4 * band.discharge_s + 8 * band.meter_s, 5 / rate_hz) : 2.0;
    const auto record = pulses(band, area, rate_hz, seconds);
    const auto filter = GaussianFilter::with_6db(band.bandwidth_hz);
    const double volts = measure_at(record, 0, filter, {detector}).front() / std::sqrt(2.0);
    return 20 * std::log10(volts * 1e6);
}

struct Entry {
    double rate_hz, table_db, within_db;
};

void check_band(const CisprBand& band, double area, double reference_hz, double absolute_within,
                const std::vector<Entry>& entries) {
    const double reference = reading_dbuv(band, area, reference_hz, Detector::quasi_peak);
    INFO("band ", band.name, " reads ", reference, " dBuV at ", reference_hz, " Hz");
    CHECK(std::abs(reference - 60) < absolute_within);
    for (const auto& entry : entries) {
        const double relative = reference - reading_dbuv(band, area, entry.rate_hz, Detector::quasi_peak);
        INFO("band ", band.name, ", ", entry.rate_hz, " Hz: ", relative, " dB, table ", entry.table_db);
        CHECK(std::abs(relative - entry.table_db) < entry.within_db);
    }
}

}  // namespace

// Areas at the matched input: half of the EMF areas of the standard. The tolerances here are what the model
// reaches, all inside the published ones (+-1.0 to +-2.0 dB; absolute +-1.5 dB).
TEST_CASE("quasi-peak follows the pulse response of CISPR 16-1-1") {
    const auto bands = cispr_bands();
    check_band(bands[0], 6.75e-6, 25, 0.8,
               {{100, -4, 0.6},
                {60, -3, 0.6},
                {10, 4, 0.3},
                {5, 7.5, 0.4},
                {2, 13, 0.5},
                {1, 17, 0.3},
                {0, 19, 0.4}});
    check_band(
        bands[1], 0.158e-6, 100, 0.6,
        {{1000, -4.5, 0.35}, {20, 6.5, 0.3}, {10, 10, 0.3}, {2, 20.5, 0.3}, {1, 22.5, 0.5}, {0, 23.5, 0.5}});
    check_band(bands[2], 0.022e-6, 100, 1.0,
               {{1000, -8, 0.8}, {20, 9, 0.4}, {10, 14, 0.3}, {2, 26, 0.4}, {1, 28.5, 1.5}, {0, 31.5, 0.4}});
}
