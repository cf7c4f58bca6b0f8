// What a procedure makes of a capture: results, traces and remarks. Judging starts from here.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <variant>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/signal/capture.hpp"
#include "core/signal/detector.hpp"

namespace rt {

// What a value says of the true one: it, or that it is at least or at most so much (a burst that the record
// cuts off). A bound is enough to fail a limit on its side, never to pass one.
enum class Known { exactly, at_least, at_most };
const char* name(Known known);  // "", "at least", "at most"

// One measured value. `uncertainty` is expanded (k = 2) in the same unit, if the bench declares it.
struct Result {
    std::string name;  // "transmit_power"
    Quantity value;
    std::optional<double> uncertainty;
    Known known = Known::exactly;
    // Counting ended as soon as this upper limit was decided: it says nothing of a stricter one, and nothing
    // of any where it is no number.
    std::optional<double> decided_at = {};
};

// How a trace is customarily drawn.
enum class Shape {
    line,
    dots,   // a constellation: x need not ascend
    bars,   // a histogram
    smith,  // reflections in their plane, x real and y imaginary part, over lines of equal impedance
    polar,  // the same over circles of equal magnitude
};

// A curve. x ascends (unless drawn as dots); y has the same length.
struct Trace {
    std::string name;   // "emission"
    std::string title;  // "Disturbance voltage"
    std::vector<double> x;
    std::vector<double> y;
    Unit x_unit = Unit::hertz;
    Unit y_unit = Unit::dbm;
    bool log_x = false;  // customary to draw x logarithmically
    Shape shape = Shape::line;
    std::string x_title = "";  // "Time"; empty for a frequency
    bool spots = false;  // readings at single frequencies: judged where they stand, no cover is asked for
    std::optional<Detector> detector;
    std::optional<double> resolution_bandwidth_hz;
    std::optional<double> impedance_ohm;
    std::optional<double> centre_hz;        // masks: the carrier that offsets count from
    std::optional<double> reference_level;  // masks: 0 dB of the relative part, in y_unit
    std::string declared = {};              // conditions that the user declared: "detector average"
    std::string shows;  // the result that this is a close view of: of interest where that is judged
    struct Companion {
        std::string title;
        std::vector<double> y;
    };
    std::vector<Companion> companions;  // further curves over the same x, in y_unit
    std::string together;  // traces of the same word are read together, such as magnitude and phase
    struct Places {
        std::vector<double> x, y;
    };
    Places ideal = {};  // where dots ought to lie: the points of a constellation
    struct Interval {
        double from = 0, to = 0;
    };
    std::optional<Interval> interval = {};  // what the result that it shows was measured between, along x
};

// A list that a procedure makes: bursts, peaks, symbols.
struct Table {
    struct Column {
        std::string name;
        Unit unit = Unit::none;
    };
    using Cell = std::variant<double, std::string>;

    std::string name;   // "bursts"
    std::string title;  // "Bursts"
    std::vector<Column> columns;
    std::vector<std::vector<Cell>> rows;
};

// The single values whose extreme a result is: how many a limit finds beyond it, and where.
struct Occurrences {
    struct One {
        double value = 0;   // in the unit of the result
        std::string place;  // "1.2 ms (transfer 2, byte 3, bit 5)"
    };
    std::string result;  // "low_time_least"
    std::size_t count = 0;
    std::vector<One> worst;  // the extreme first; not all where there are very many
};

// A picture of how often each place was met: an eye.
struct Raster {
    std::string name;   // "eye"
    std::string title;  // "Eye"
    std::size_t columns = 0, rows = 0;
    std::vector<double> count;  // row by row from the bottom
    double x_from = 0, x_to = 1, y_from = 0, y_to = 1;
    Unit x_unit = Unit::unit_interval, y_unit = Unit::volt;
    std::string x_title, y_title;
    struct Line {
        std::string title;
        std::vector<double> x, y;
    };
    std::vector<Line> outlines;  // what a mask forbids
    std::vector<Line> marks;     // single places to point at
};

// A value for each die of a wafer.
struct DieMap {
    enum class State { plain, passed, marginal, failed, lost };
    struct Die {
        int column = 0, row = 0;
        std::optional<double> value;
        State state = State::plain;
        bool outlier = false, reference = false;
    };
    std::string name, title;
    Unit unit = Unit::none;
    double pitch_x = 1, pitch_y = 1;  // their ratio counts
    std::vector<Die> dies;            // those that were not tested too, without a value
};

struct Outcome {
    std::vector<Result> results;
    std::vector<Trace> traces;
    std::vector<Table> tables;
    std::vector<Occurrences> occurrences;
    std::vector<Raster> rasters;
    std::vector<DieMap> maps;
    std::optional<Capture> made;                 // what it makes for later tests: corrected data, error terms
    std::map<std::string, std::string> lacking;  // why a result is not there, by its name
    std::vector<std::string> notes;              // remarks on how the numbers came about
    std::vector<std::string> deviations;         // parameters that differ from the standard's
    // Why nothing here may be judged (overload, wrong signal, stale calibration); empty when it may.
    std::optional<std::string> invalid;
    // What a verdict may need besides numbers. How long the signal was observed: nothing for what has no
    // time.
    std::optional<double> observed_s;
    std::set<std::string> stated;  // parameters that somebody gave, not defaults
    bool unscaled = false;         // voltages count in the record's own units: nothing says what 1 V is
    bool by_volts = false;         // thresholds or a mask in volts decided what was measured

    void add(const char* name, double value, Unit unit, Known known = Known::exactly) {
        results.push_back({name, {value, unit}, {}, known});
    }
    // The greatest of whole ones, 0 without any, or what is seen of one that an end of the record cuts off
    // where that is more: the true greatest is at least so much.
    void add_greatest(const char* name, double whole, double cut, Unit unit) {
        add(name, whole < cut ? cut : whole, unit, whole < cut ? Known::at_least : Known::exactly);
    }
    const Result* find_result(const std::string& name) const;
    const Occurrences* find_occurrences(const std::string& result) const;
    const Trace* find_trace(const std::string& name) const;
    // Of several with this name the one with this detector, else the first.
    const Trace* find_trace(const std::string& name, std::optional<Detector> detector) const;
};

// Marks an outcome as not to be judged and drops its results: no number may look valid. Traces stay, to look
// at.
void invalidate(Outcome& outcome, std::string reason);

}  // namespace rt
