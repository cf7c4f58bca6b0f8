#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/bus/timings.hpp"
#include "core/measure/procedure.hpp"
#include "core/serial/activity.hpp"
#include "core/serial/levels.hpp"

namespace rt {
namespace {

constexpr auto out_of_band_parameters = joined(
    std::array{
        ParameterInfo{"detect_level", ParameterKind::quantity, Unit::volt, "100 mV",
                      "peak to peak: below, the link is idle. Bursts are timed where they pass half of it"},
        ParameterInfo{"hold_off", ParameterKind::quantity, Unit::second, "12 ns",
                      "shorter quiet belongs to a burst (its slowest pattern and the ends of its edges)"},
    },
    signal_rows);

constexpr std::array out_of_band_traces{
    Product{"view_...", Unit::volt, "the link around the extreme of each result"}};
constexpr std::array out_of_band_products{
    Product{"burst_least", Unit::second, "shortest burst"},
    Product{"burst_greatest", Unit::second, "longest burst"},
    Product{"init_gap_least", Unit::second, "shortest gap of COMINIT or COMRESET, 175 to 525 ns"},
    Product{"init_gap_greatest", Unit::second, "longest gap of COMINIT or COMRESET"},
    Product{"wake_gap_least", Unit::second, "shortest gap of COMWAKE, 35 to 175 ns"},
    Product{"wake_gap_greatest", Unit::second, "longest gap of COMWAKE"},
    Product{"fewest_bursts", Unit::count, "bursts of the shortest whole sequence"},
    Product{"init_sequences", Unit::count, "sequences of COMINIT or COMRESET"},
    Product{"wake_sequences", Unit::count, "sequences of COMWAKE"},
    Product{"lowest_amplitude", Unit::volt, "peak to peak of the weakest burst"},
};

// Serial ATA: what a receiver must tell apart.
constexpr double shortest_gap_s = 35e-9, wake_most_s = 175e-9, init_most_s = 525e-9;
constexpr double longest_burst_s = 300e-9;

enum class Kind { init, wake };

// Sequences of bursts, told apart by the gaps between them.
class Sequences {
  public:
    Sequences(const Signal& signal, const std::vector<ActiveStretch>& stretches, double hold_off_s)
        : signal_(signal), stretches_(stretches), hold_off_s_(hold_off_s) {
        burst.keep = init_gap.keep = wake_gap.keep = 1000;
        for (std::size_t k = 0; k < stretches.size(); ++k) take(k);
    }

    Spread burst, init_gap, wake_gap;
    double weakest_v = 1e300, fewest = 1e300;
    std::size_t inits = 0, wakes = 0;
    Table table{"sequences",
                "Sequences",
                {{"from", Unit::second}, {"kind", Unit::none}, {"bursts", Unit::count}},
                {}};

  private:
    void take(std::size_t k) {
        const ActiveStretch& here = stretches_[k];
        const bool is_burst = here.length_s() < longest_burst_s;
        const bool next_is = k + 1 < stretches_.size() && stretches_[k + 1].length_s() < longest_burst_s;
        const double gap = k + 1 < stretches_.size() ? stretches_[k + 1].from_s - here.to_s : 1e300;
        const bool goes_on = is_burst && next_is && gap >= shortest_gap_s && gap <= init_most_s;
        if (goes_on) {
            const Kind now = gap <= wake_most_s ? Kind::wake : Kind::init;
            if (kind_ && *kind_ != now) close(k);
            kind_ = now;
            ++bursts_;
            (now == Kind::init ? init_gap : wake_gap).add(gap, here.to_s);
        }
        if (is_burst && kind_.has_value()) {
            // With idle before and behind it a burst is whole; the ends of the record may cut it short.
            const bool begins = here.from_s > hold_off_s_;
            const bool ends = signal_.seconds() - here.to_s > hold_off_s_;
            if (begins && ends) burst.add(here.length_s(), here.from_s);
            weakest_v = std::min(weakest_v, 2 * here.peak_v);
        }
        if (!goes_on) close(k + 1);
    }

    // The sequence under way ends before the stretch `next`.
    void close(std::size_t next) {
        if (kind_) {
            (*kind_ == Kind::init ? inits : wakes) += 1;
            // Cut off by the ends of the record it tells nothing of its length.
            const bool whole = stretches_[begin_].from_s > init_most_s &&
                               signal_.seconds() - stretches_[next - 1].to_s > init_most_s;
            if (whole) fewest = std::min(fewest, static_cast<double>(bursts_));
            table.rows.push_back({stretches_[begin_].from_s + signal_.from_s,
                                  std::string(*kind_ == Kind::init ? "COMINIT or COMRESET" : "COMWAKE"),
                                  static_cast<double>(bursts_)});
        }
        kind_.reset();
        bursts_ = 1;
        begin_ = next;
    }

    const Signal& signal_;
    const std::vector<ActiveStretch>& stretches_;
    double hold_off_s_;
    std::optional<Kind> kind_;  // of the sequence under way
    std::size_t bursts_ = 1, begin_ = 0;
};

Outcome measure_out_of_band(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "storage.out-of-band"), p);
    const LevelHistogram histogram = level_histogram(*signal.samples);
    ActivitySettings settings;
    const double level = p.required("detect_level");
    if (!(level > 0)) fail_input("parameter detect_level: must be above 0 V");
    settings.threshold_v = level / 2;
    settings.hold_off_s = p.required("hold_off");
    if (std::max(-histogram.lowest, histogram.highest) < settings.threshold_v) {
        fail_signal("the signal from " + format({histogram.lowest, Unit::volt}) + " to " +
                    format({histogram.highest, Unit::volt}) + " never passes the detection level");
    }
    const auto stretches = find_activity(*signal.samples, signal.step_s, settings);
    Sequences seen(signal, stretches, settings.hold_off_s);
    if (seen.inits + seen.wakes == 0)
        fail_signal("no out-of-band sequence: no bursts with gaps of 35 to 525 ns between");
    const std::vector<Timing> timings{{"burst", &seen.burst, true, true},
                                      {"init_gap", &seen.init_gap, true, true},
                                      {"wake_gap", &seen.wake_gap, true, true}};
    Outcome outcome;
    add_timings(timings, signal.from_s, outcome);
    if (seen.fewest < 1e300) outcome.add("fewest_bursts", seen.fewest, Unit::count);
    outcome.add("init_sequences", static_cast<double>(seen.inits), Unit::count);
    outcome.add("wake_sequences", static_cast<double>(seen.wakes), Unit::count);
    outcome.add("lowest_amplitude", seen.weakest_v, Unit::volt);
    outcome.tables.push_back(std::move(seen.table));
    add_views(timings, {{"link", signal}}, 500e-9, outcome);
    return outcome;
}

}  // namespace

Procedure storage_out_of_band() {
    return {
        "storage.out-of-band",
        "Out-of-band bursts and gaps of a storage link",
        "COMINIT, COMRESET and COMWAKE are rows of bursts told apart by their gaps (Serial ATA, out-of-band "
        "signalling): 35 to 175 ns wake, 175 to 525 ns initialise. Bursts end where the differential voltage "
        "last "
        "passes half the detection level.",
        out_of_band_parameters,
        out_of_band_traces,
        out_of_band_products,
        waveform_setup,
        measure_out_of_band,
        preset_named};
}

}  // namespace rt
