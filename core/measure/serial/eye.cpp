#include "core/serial/eye.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/parts.hpp"

namespace rt {
namespace {

constexpr auto eye_products =
    products(eye_results, std::array{Product{"symbol_rate", Unit::hertz, "of the recovered clock"}});
constexpr auto eye_parameters = joined(eye_rows_own, clock_rows, edge_rows, signal_rows);

EyeMask mask_of(const Parameters& p, const Levels& levels, const Clock& clock) {
    EyeMask out;
    MaskScale scale{clock.interval_s(), 0, 1};
    if (p.text("mask_scale") == "amplitude") scale.low_v = levels.low, scale.high_v = levels.high;
    out.regions = parse_mask(p.text("mask"), scale);
    for (const auto& region : out.regions) {
        for (const Corner& corner : region.corners()) {
            if (corner.x < 0 || corner.x > 1)
                fail_input("parameter mask: corners lie between 0 and 1 UI, not at " +
                           format({corner.x, Unit::unit_interval}));
        }
    }
    out.upper_v = p.number("upper"), out.lower_v = p.number("lower");
    out.upper_transition_v = p.number("upper_transition"),
    out.lower_transition_v = p.number("lower_transition");
    return out;
}

EyeSettings settings_of(const SerialSource& source, const Clock& clock, const Parameters& p,
                        std::size_t count) {
    EyeSettings out;
    out.mask = mask_of(p, source.levels, clock);
    const std::string symbols = p.text("symbols");
    out.symbols = symbols == "transition" ? EyeSettings::Symbols::transition
                  : symbols == "steady"   ? EyeSettings::Symbols::steady
                                          : EyeSettings::Symbols::all;
    out.window = p.required("window") / 100;
    if (!(out.window > 0 && out.window < 1)) fail_input("parameter window: 0 to 100 % are possible");
    out.levels = count == 2 ? std::vector{source.levels.low, source.levels.high}
                            : clustered_levels(source.histogram, count);
    double low = source.levels.lowest, high = source.levels.highest;
    for (const auto& region : out.mask.regions) {
        for (const Corner& c : region.corners()) low = std::min(low, c.y), high = std::max(high, c.y);
    }
    const double room = (high - low) * 0.08;
    out.low_v = low - room, out.high_v = high + room;
    return out;
}

Raster raster_of(const Eye& eye, const EyeSettings& settings, double origin_s) {
    Raster out;
    out.name = "eye";
    out.title = "Eye";
    // One symbol with half of its neighbours.
    const std::size_t half = eye.columns / 2;
    out.columns = 2 * eye.columns, out.rows = eye.rows;
    out.x_from = -0.5, out.x_to = 1.5, out.y_from = eye.low_v, out.y_to = eye.high_v;
    out.x_title = "Place in the symbol";
    out.y_title = "Voltage";
    out.count.reserve(out.columns * out.rows);
    const auto& count = eye.joined.empty() ? eye.count : eye.joined;
    for (std::size_t row = 0; row < eye.rows; ++row) {
        for (std::size_t k = 0; k < out.columns; ++k)
            out.count.push_back(count[row * eye.columns + (k + half) % eye.columns]);
    }
    const auto limit = [&](const char* title, std::optional<double> volts) {
        // Limits far away are not worth the room.
        if (volts && *volts > eye.low_v && *volts < eye.high_v)
            out.outlines.push_back({title, {-0.5, 1.5}, {*volts, *volts}});
    };
    for (std::size_t i = 0; i < settings.mask.regions.size(); ++i) {
        Raster::Line line{i == 0 ? "mask" : "", {}, {}};
        auto corners = settings.mask.regions[i].corners();
        corners.push_back(corners.front());
        for (const Corner& c : corners) line.x.push_back(c.x), line.y.push_back(c.y);
        out.outlines.push_back(std::move(line));
    }
    limit("upper limit", settings.mask.upper_v);
    limit("lower limit", settings.mask.lower_v);
    limit("upper limit after a transition", settings.mask.upper_transition_v);
    limit("lower limit after a transition", settings.mask.lower_transition_v);
    if (!eye.hits.empty()) {
        Raster::Line line{
            "hits, the first at " + format({eye.hits.front().time_s + origin_s, Unit::second}), {}, {}};
        for (std::size_t i = 0; i < std::min<std::size_t>(eye.hits.size(), 200); ++i)
            line.x.push_back(eye.hits[i].x), line.y.push_back(eye.hits[i].volts);
        out.marks.push_back(std::move(line));
    }
    return out;
}

Trace around_hit(const SerialSource& source, const MaskHit& hit, double interval_s) {
    const auto& samples = *source.signal.samples;
    const double step = source.signal.step_s;
    const auto reach = static_cast<std::uint64_t>(6 * interval_s / step);
    const auto at = static_cast<std::uint64_t>(std::llround(hit.time_s / step));
    const std::uint64_t from = at > reach ? at - reach : 0, to = std::min(samples.size(), at + reach + 1);
    std::vector<float> volts(static_cast<std::size_t>(std::min<std::uint64_t>(to - from, 100000)));
    samples.read(from, volts);
    Trace trace;
    trace.name = "hit";
    trace.title = "Voltage around the first hit";
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = Unit::volt;
    for (std::size_t i = 0; i < volts.size(); ++i) {
        trace.x.push_back(static_cast<double>(from + i) * step + source.signal.from_s);
        trace.y.push_back(static_cast<double>(volts[i]));
    }
    return trace;
}

// Width between the latest edge at the beginning of a symbol and the earliest at its end.
double edge_free_width(const Clock& clock) {
    const auto jitter = clock.settled_jitter_s();
    const auto [low, high] = std::minmax_element(jitter.begin(), jitter.end());
    return std::max(0.0, 1 - (*high - *low) * clock.rate_hz);
}

// The inner levels of more than two, and each eye between them, from the lowest up.
void add_inner(const std::vector<LevelSeen>& levels, const std::vector<double>& heights,
               const std::vector<double>& widths, Outcome& outcome) {
    constexpr std::array<const char*, 3> three{"lower", "upper"}, four{"lower", "middle", "upper"};
    if (levels.size() == 2) return;
    if (levels.size() == 3) {
        outcome.add("middle_level", levels[1].mean, Unit::volt);
    } else {
        outcome.add("lower_middle_level", levels[1].mean, Unit::volt);
        outcome.add("upper_middle_level", levels[2].mean, Unit::volt);
    }
    const auto& places = levels.size() == 3 ? three : four;
    for (std::size_t k = 0; k < heights.size(); ++k) {
        const std::string place = places[k];
        outcome.add((place + "_eye_height").c_str(), std::max(heights[k], 0.0), Unit::volt);
        outcome.add((place + "_eye_width").c_str(), widths[k], Unit::unit_interval);
    }
}

void add_levels(const Eye& eye, const Clock& clock, Outcome& outcome) {
    const auto& levels = eye.levels;
    double three_sigma = 1e300, q = 1e300;
    std::vector<double> heights, widths;
    for (std::size_t k = 0; k + 1 < levels.size(); ++k) {
        const LevelSeen &low = levels[k], &high = levels[k + 1];
        const double threshold = (low.mean + high.mean) / 2;
        heights.push_back(high.lowest - low.highest);
        widths.push_back(levels.size() == 2 ? edge_free_width(clock) : open_width(eye, threshold));
        three_sigma = std::min(three_sigma, high.mean - 3 * high.sigma - (low.mean + 3 * low.sigma));
        if (high.sigma + low.sigma > 0) q = std::min(q, (high.mean - low.mean) / (high.sigma + low.sigma));
    }
    const double height = *std::min_element(heights.begin(), heights.end());
    const double width = *std::min_element(widths.begin(), widths.end());
    const double amplitude = levels.back().mean - levels.front().mean;
    outcome.add("eye_height", std::max(height, 0.0), Unit::volt);
    outcome.add("eye_height_3sigma", three_sigma, Unit::volt);
    outcome.add("eye_width", width, Unit::unit_interval);
    outcome.add("eye_width_time", width * clock.interval_s(), Unit::second);
    outcome.add("eye_amplitude", amplitude, Unit::volt);
    outcome.add("high_level", levels.back().mean, Unit::volt);
    outcome.add("low_level", levels.front().mean, Unit::volt);
    add_inner(levels, heights, widths, outcome);
    outcome.add("crossing", 100 * (eye.crossing_v - levels.front().mean) / amplitude, Unit::percent);
    if (q < 1e300) outcome.add("q_factor", q, Unit::none);
    if (levels.size() == 4) {
        const double middle = (levels[0].mean + levels[3].mean) / 2;
        const double es1 = (levels[1].mean - middle) / (levels[0].mean - middle);
        const double es2 = (levels[2].mean - middle) / (levels[3].mean - middle);
        outcome.add("level_mismatch_ratio", std::min({3 * es1, 3 * es2, 2 - 3 * es1, 2 - 3 * es2}),
                    Unit::none);
    }
    Table table{"levels",
                "Levels",
                {{"level", Unit::count},
                 {"mean", Unit::volt},
                 {"sigma", Unit::volt},
                 {"lowest", Unit::volt},
                 {"highest", Unit::volt},
                 {"symbols", Unit::count}},
                {}};
    for (std::size_t k = 0; k < levels.size(); ++k) {
        const LevelSeen& l = levels[k];
        table.rows.push_back(
            {static_cast<double>(k), l.mean, l.sigma, l.lowest, l.highest, static_cast<double>(l.symbols)});
    }
    outcome.tables.push_back(std::move(table));
}

void add_mask(const Eye& eye, const EyeMask& mask, double origin_s, Outcome& outcome) {
    if (mask.empty()) return;
    outcome.add("mask_hits", static_cast<double>(eye.hit_samples), Unit::count);
    outcome.add("hit_symbols", static_cast<double>(eye.hit_symbols), Unit::count);
    outcome.add("hit_ratio", static_cast<double>(eye.hit_samples) / static_cast<double>(eye.samples),
                Unit::none);
    const bool convex =
        std::all_of(mask.regions.begin(), mask.regions.end(), [](const MaskRegion& r) { return r.convex(); });
    if (!mask.regions.empty() && convex) outcome.add("mask_margin", 100 * eye.growth, Unit::percent);
    if (!convex)
        outcome.notes.push_back("no mask margin: a region with a dent cannot be grown about its middle");
    if (eye.spare_v < 1e299) outcome.add("limit_margin", eye.spare_v, Unit::volt);
    if (eye.hits.empty()) return;
    Table table{"mask_hits",
                "Mask hits, the first of them",
                {{"time", Unit::second},
                 {"place", Unit::unit_interval},
                 {"voltage", Unit::volt},
                 {"symbol", Unit::count}},
                {}};
    for (const MaskHit& hit : eye.hits)
        table.rows.push_back({hit.time_s + origin_s, hit.x, hit.volts, static_cast<double>(hit.symbol)});
    outcome.tables.push_back(std::move(table));
}

Outcome measure_eye(Capture any, const Parameters& given) {
    const Parameters p = timed_by_levels(given);
    SerialSource source = serial_source(std::move(any), "serial.eye", p, 16, levels_named(p));
    const Clock clock = clock_of_levels(source, levels_named(p), p);
    Outcome outcome;
    add_eye(source, clock, p, outcome);
    outcome.add("symbol_rate", clock.rate_hz, Unit::hertz);
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

std::size_t levels_named(const Parameters& p) {
    return static_cast<std::size_t>(p.text("levels")[0] - '0');
}

Parameters timed_by_levels(const Parameters& given) {
    Parameters p = given;
    // The middle of three levels is a level itself: edges are timed between it and the highest.
    if (levels_named(p) == 3 && p.required("threshold_part") == 50)
        p.set_quantity("threshold_part", {75, Unit::percent});
    return p;
}

void add_eye(const SerialSource& source, const Clock& clock, const Parameters& p, Outcome& outcome) {
    const std::size_t count = levels_named(p);
    const EyeSettings settings = settings_of(source, clock, p, count);
    Eye eye = make_eye(*source.signal.samples, source.signal.step_s, clock, settings);
    // The joined picture knows all symbols only.
    if (settings.symbols == EyeSettings::Symbols::all)
        join_samples(eye, *source.signal.samples, source.signal.step_s, clock);
    for (const LevelSeen& level : eye.levels) {
        if (level.symbols == 0) fail_signal("not all of the " + std::to_string(count) + " levels occur");
    }
    add_levels(eye, clock, outcome);
    add_mask(eye, settings.mask, source.signal.from_s, outcome);
    outcome.add("symbols", static_cast<double>(eye.symbols), Unit::count);
    outcome.add("samples", static_cast<double>(eye.samples), Unit::count);
    outcome.rasters.push_back(raster_of(eye, settings, source.signal.from_s));
    if (!eye.hits.empty()) outcome.traces.push_back(around_hit(source, eye.hits.front(), clock.interval_s()));
    const double per_symbol = static_cast<double>(eye.samples) / static_cast<double>(eye.symbols);
    std::uint64_t within = 0, none = 0;
    for (const LevelSeen& level : eye.levels) {
        within += level.within;
        none += level.within == 0;
    }
    const std::string window = format({100 * settings.window, Unit::percent}) + " of the symbol";
    if (none > 0) {
        outcome.notes.push_back("no sample of a level lies within the window of " + window +
                                ": heights are those of the samples nearest to the middle");
    } else if (within < eye.symbols) {
        outcome.notes.push_back(
            fmt::format("heights are those of {} of {} symbols, which have a sample within the window of {}",
                        within, eye.symbols, window));
    }
    if (per_symbol < 4) {
        outcome.notes.push_back("only " + format({per_symbol, Unit::none}) +
                                " samples in a symbol: short violations may lie between samples");
    }
}

Procedure serial_eye() {
    return {
        "serial.eye",
        "Eye of a serial signal, with mask",
        "All symbols laid over each other on the recovered clock, with two to four levels. Every sample is "
        "held "
        "against the mask exactly; hits are listed with their time. Heights are taken in a window around the "
        "middle of the symbol.",
        eye_parameters,
        eye_traces,
        eye_products,
        waveform_setup,
        measure_eye,
        preset_named};
}

}  // namespace rt
