#include "core/catalogue/catalogue.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

// Every procedure: a function of this name, defined in a file of its own below core/measure.
// clang-format off
#define RT_EVERY_PROCEDURE(each) \
    each(emission_scan) \
    each(emission_final) \
    each(spectrum_density) \
    each(channel_power) \
    each(occupied_bandwidth) \
    each(spectrum_markers) \
    each(radio_mask) \
    each(spurious) \
    each(carrier) \
    each(bursts) \
    each(occupancy) \
    each(oqpsk_modulation) \
    each(gfsk_modulation) \
    each(radio_advertising) \
    each(radio_devices) \
    each(ofdm_modulation) \
    each(am_fm) \
    each(tone_quality) \
    each(tone_response) \
    each(power_level) \
    each(power_gain) \
    each(path_loss) \
    each(power_insertion) \
    each(power_return_loss) \
    each(error_rate) \
    each(receiver_throughput) \
    each(pulse_edges) \
    each(serial_clock) \
    each(serial_jitter) \
    each(serial_skew) \
    each(serial_eye) \
    each(serial_link) \
    each(serial_pattern) \
    each(two_wire_bus) \
    each(four_wire_bus) \
    each(ethernet_idle) \
    each(ethernet_density) \
    each(ethernet_droop) \
    each(ethernet_mlt3) \
    each(ethernet_manchester) \
    each(ethernet_test_mode_1) \
    each(ethernet_distortion) \
    each(network_parameters) \
    each(network_calibration) \
    each(network_verification) \
    each(device_figures) \
    each(device_curves) \
    each(device_disturbance) \
    each(network_return_loss) \
    each(storage_out_of_band) \
    each(storage_frames) \
    each(usb_handshake) \
    each(usb_levels) \
    each(serial_characters) \
    each(module_registers) \
    each(landing_indication) \
    each(beacon_message) \
    each(beacon_burst) \
    each(beacon_homing) \
    each(landing_signal) \
    each(lte_uplink) \
    each(nr_uplink) \
    each(dual_uplink) \
    each(cellular_power) \
    each(cellular_leakage) \
    each(results_crossing) \
    each(results_bathtub) \
    each(results_sensitivity) \
    each(results_spread) \
    each(results_drift) \
    each(results_stability) \
    each(results_slope) \
    each(results_compression) \
    each(results_extremes) \
    each(results_yield) \
    each(results_wafer) \
    each(results_curve) \
    each(results_gain_table) \
    each(results_level_table) \
    each(results_sum) \
    each(results_difference) \
    each(results_ratio)
// clang-format on

namespace rt {

#define RT_DECLARE(name) Procedure name();
RT_EVERY_PROCEDURE(RT_DECLARE)
#undef RT_DECLARE

std::span<const Procedure> procedures() {
#define RT_LIST(name) name(),
    static const std::array list{RT_EVERY_PROCEDURE(RT_LIST)};
#undef RT_LIST
    return list;
}

const Procedure& find_procedure(std::string_view name) {
    std::vector<std::string> names;
    for (const auto& entry : procedures()) {
        if (name == entry.name) return entry;
        names.emplace_back(entry.name);
    }
    fail_input("unknown procedure " + in_quotes(name) + suggestion(name, names));
}

}  // namespace rt
