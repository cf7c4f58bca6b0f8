// The parts of measuring a serial signal: each stands alone as a procedure, and together they make
// serial.link.
#pragma once

#include "core/measure/serial/source.hpp"

namespace rt {

inline constexpr ParameterInfo volts_limit(const char* name, const char* help) {
    return {name, ParameterKind::quantity, Unit::volt, "", help};
}

inline constexpr std::array clock_rows_own{
    ParameterInfo{"expected", ParameterKind::choice, Unit::none, "any",
                  "what the line must send: anything with edges, or a clock pattern (a test mode for jitter)",
                  "any clock-pattern"},
    ParameterInfo{"spread_cutoff", ParameterKind::quantity, Unit::hertz, "500 kHz",
                  "deviations of the rate above this are jitter, not spread-spectrum modulation"},
};
inline constexpr std::array clock_traces{
    Product{"tie", Unit::second, "edge minus recovered clock, against time"},
    Product{"rate_deviation", Unit::ppm, "rate against its mean, against time, below spread_cutoff"}};
inline constexpr std::array clock_results{
    Product{"symbol_rate", Unit::hertz, "best fit over all edges"},
    Product{"rate_error", Unit::ppm, "its deviation from symbol_rate, if that was given"},
    Product{"unit_interval", Unit::second, "its reciprocal"},
    Product{"tie_rms", Unit::second, "rms of edge minus recovered clock"},
    Product{"tie_peak_to_peak", Unit::second, "its span"},
    Product{"period_jitter_rms", Unit::second,
            "rms of periods (rising edge to rising edge) about their mean; clocks only"},
    Product{"period_jitter_peak_to_peak", Unit::second, "span of the periods"},
    Product{"cycle_to_cycle_rms", Unit::second, "rms of the difference of neighbouring periods"},
    Product{"cycle_to_cycle_peak", Unit::second, "largest such difference"},
    Product{"spread_highest", Unit::ppm, "highest rate below spread_cutoff, against symbol_rate or the mean"},
    Product{"spread_lowest", Unit::ppm, "lowest rate below spread_cutoff"},
    Product{"spread_frequency", Unit::hertz, "how often the rate goes up and down, if it does"},
    Product{"edges", Unit::count, "edges compared with the clock"},
};

inline constexpr std::array jitter_rows_own{
    ParameterInfo{"error_ratio", ParameterKind::quantity, Unit::none, "1e-12",
                  "bit error ratio at which total jitter and opening are told"},
    ParameterInfo{
        "pattern_length", ParameterKind::whole_number, Unit::none, "",
        "symbols after which the pattern repeats; without it a repetition up to 4096 is looked for"},
    ParameterInfo{"line_height", ParameterKind::quantity, Unit::db, "15 dB",
                  "a sinusoidal component stands out of the spectrum around it by at least this much"},
};
inline constexpr std::array jitter_traces{
    Product{"histogram", Unit::count, "how often an edge stood so far from the recovered clock"},
    Product{"bathtub", Unit::none, "log10 of the error ratio against the place of sampling"},
    Product{"jitter_spectrum", Unit::second, "amplitude of jitter against its frequency"},
    Product{"pattern_jitter", Unit::second, "mean jitter at each place of the pattern"}};
inline constexpr std::array jitter_results{
    Product{"jitter_rms", Unit::second, "rms of edge minus recovered clock"},
    Product{"jitter_peak_to_peak", Unit::second, "its span"},
    Product{"total_jitter", Unit::second, "DJ(dd) + 2 Q sigma at error_ratio"},
    Product{"total_jitter_ui", Unit::unit_interval, "the same in symbols"},
    Product{"random_jitter", Unit::second, "sigma of the dual-Dirac model"},
    Product{"deterministic_jitter", Unit::second, "DJ(dd) of the dual-Dirac model"},
    Product{"duty_cycle_distortion", Unit::second, "mean of rising minus mean of falling edges"},
    Product{"data_dependent_jitter", Unit::second, "peak to peak of the means at the places of the pattern"},
    Product{"periodic_jitter", Unit::second, "peak to peak of the largest sinusoidal component"},
    Product{"periodic_frequency", Unit::hertz, "its frequency"},
    Product{"eye_opening", Unit::unit_interval, "width of the bathtub at error_ratio"},
    Product{"extrapolated_error_ratio", Unit::none,
            "error ratio of the model at the best place of sampling: what the bathtub's bottom stands at"},
    Product{"pattern_symbols", Unit::count, "symbols of the repeating pattern that was used"},
};

inline constexpr std::array eye_rows_own{
    ParameterInfo{"levels", ParameterKind::choice, Unit::none, "2",
                  "levels of a symbol: 2 for NRZ, 3 for PAM3, 4 for PAM4", "2 3 4"},
    ParameterInfo{
        "symbols", ParameterKind::choice, Unit::none, "all",
        "symbols that make the eye: all, those that differ from the one before, or those that do not "
        "(de-emphasis has a mask for each)",
        "all transition steady"},
    ParameterInfo{"window", ParameterKind::quantity, Unit::percent, "10 %",
                  "part of the symbol around its middle in which levels and height are taken"},
    ParameterInfo{
        "mask", ParameterKind::text, Unit::none, "",
        "regions that no sample may enter: corners \"x y, x y, ...\" with x in UI from the crossing "
        "(or a time) and y in volts, the first repeated at the end; several with ; between"},
    ParameterInfo{
        "mask_scale", ParameterKind::choice, Unit::none, "volts",
        "what plain levels of the mask mean: volts, or parts of the amplitude from the low to the high "
        "level",
        "volts amplitude"},
    volts_limit("upper", "no sample may lie above"),
    volts_limit("lower", "no sample may lie below"),
    volts_limit("upper_transition", "the same in symbols that differ from the one before"),
    volts_limit("lower_transition", "the same in symbols that differ from the one before"),
};
inline constexpr std::array eye_traces{
    Product{"eye", Unit::volt, "how often each place of the symbol was met"},
    Product{"hit", Unit::volt, "voltage around the first sample that hits the mask"}};
inline constexpr std::array eye_results{
    Product{"eye_height", Unit::volt,
            "lowest sample of the upper minus highest of the lower level in the window, of "
            "the smallest eye"},
    Product{"eye_height_3sigma", Unit::volt,
            "(mean - 3 sigma) of the upper minus (mean + 3 sigma) of the lower level"},
    Product{"eye_width", Unit::unit_interval,
            "width free of edges (two levels), or of samples, at the threshold of "
            "the smallest eye"},
    Product{"eye_width_time", Unit::second, "the same in time"},
    Product{"eye_amplitude", Unit::volt, "mean of the highest minus mean of the lowest level in the window"},
    Product{"high_level", Unit::volt, "mean of the highest level"},
    Product{"low_level", Unit::volt, "mean of the lowest level"},
    Product{"middle_level", Unit::volt, "mean of the middle one of three levels"},
    Product{"lower_middle_level", Unit::volt, "mean of the second lowest of four levels"},
    Product{"upper_middle_level", Unit::volt, "mean of the third lowest of four levels"},
    Product{"upper_eye_height", Unit::volt,
            "of more than two levels: eye_height between the two highest levels"},
    Product{"middle_eye_height", Unit::volt, "of four levels: between the two middle ones"},
    Product{"lower_eye_height", Unit::volt, "of more than two levels: between the two lowest"},
    Product{"upper_eye_width", Unit::unit_interval, "eye_width between the two highest levels"},
    Product{"middle_eye_width", Unit::unit_interval, "between the two middle ones"},
    Product{"lower_eye_width", Unit::unit_interval, "between the two lowest"},
    Product{"crossing", Unit::percent, "mean voltage at the crossings, between low and high level"},
    Product{"q_factor", Unit::none, "eye amplitude over the sum of both sigmas, of the smallest eye"},
    Product{"level_mismatch_ratio", Unit::none, "RLM of four levels (IEEE 802.3 clause 94)"},
    Product{"mask_hits", Unit::count, "samples inside a region or beyond upper and lower"},
    Product{"hit_symbols", Unit::count, "symbols with at least one of them"},
    Product{"hit_ratio", Unit::none, "mask_hits over all samples"},
    Product{"mask_margin", Unit::percent,
            "by how much the regions can grow about their middle, in both directions, "
            "until a sample touches; at most 200 %"},
    Product{"limit_margin", Unit::volt, "distance of the outermost sample to upper and lower"},
    Product{"symbols", Unit::count, "symbols in the eye"},
    Product{"samples", Unit::count, "samples in the eye"},
};

// Results and curves of each part.
void add_clock(const SerialSource& source, const Clock& clock, const Parameters& parameters,
               Outcome& outcome);
void add_jitter(const SerialSource& source, const Clock& clock, const Parameters& parameters,
                Outcome& outcome);
void add_eye(const SerialSource& source, const Clock& clock, const Parameters& parameters, Outcome& outcome);

// Levels of a symbol.
std::size_t levels_named(const Parameters& parameters);

// With as many levels as the parameters name: edges of three are timed between the middle and the highest.
Parameters timed_by_levels(const Parameters& given);

// Both lists, one after the other.
template <std::size_t... Sizes>
constexpr auto products(const std::array<Product, Sizes>&... lists) {
    std::array<Product, (Sizes + ...)> out{};
    std::size_t next = 0;
    const auto append = [&](const auto& list) {
        for (const auto& product : list) out[next++] = product;
    };
    (append(lists), ...);
    return out;
}

}  // namespace rt
