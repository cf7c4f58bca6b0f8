// Figures as data, and one gnuplot that draws them all.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/rules/finding.hpp"
#include "core/rules/rule.hpp"

namespace rt::lab {

enum class CurveRole { trace, limit, sweep, dots, bars, spots, companion, grid, sign, ideal, interval };

struct Curve {
    std::string name;
    CurveRole role = CurveRole::trace;
    std::vector<double> x, y;  // a NaN y breaks the line
};

struct Marker {
    double x = 0, y = 0;
    std::string text;
};

struct Figure {
    std::string title;
    std::string x_label, y_label;
    bool log_x = false;
    bool from_zero = false;  // the upright axis begins at 0
    bool decibels = false;   // the upright axis stands on whole tens
    bool square = false;     // both axes alike, as constellations want it
    bool polar = false;      // x is an angle in degrees, clockwise from the top
    bool plane = false;      // of reflections or transmissions: no axes, the first curves are its lines
    std::vector<std::string> places;  // names of x = 1, 2, 3 ...; none where x is a number
    std::string together;             // figures of the same word beside it are read together
    std::vector<Curve> curves;
    std::vector<Marker> markers;
    std::vector<Marker> labels;    // words at places, such as the numbers of peaks
    std::optional<Raster> raster;  // drawn beneath the curves
    std::optional<DieMap> dies;    // a wafer map, alone
};

// A trace with the limits among `rules` that judge it and the worst margin marked. Masks are drawn against
// the offset from the carrier. `findings` are those of the point.
Figure trace_figure(const Trace& trace, const std::string& title, const std::vector<RuleRef>& rules,
                    const std::vector<Finding>& findings);

// How often each place was met, from rare to frequent, with outlines and marks.
Figure raster_figure(const Raster& raster, const std::string& title);

// Dies in the colour of their value and the shape of their verdict.
Figure die_figure(const DieMap& map, const std::string& title);

// The limits of rules alone, over the band that they cover.
Figure rules_figure(const std::vector<RuleRef>& rules);

// The same curve with few enough points to draw: highest and lowest of each column of pixels, in their order.
Curve thinned(const Curve& curve, bool log_x, std::size_t columns);

// A gnuplot process that draws figures one after another. Texts reach it only as escaped single-quoted,
// non-enhanced strings.
class Plotter {
  public:
    Plotter();   // Error(output) when gnuplot cannot be started
    ~Plotter();  // ends the process; use finish() to hear of trouble
    Plotter(const Plotter&) = delete;
    Plotter& operator=(const Plotter&) = delete;

    // By the ending of `file`: .svg or .png.
    void draw(const Figure& figure, const std::filesystem::path& file);
    // Waits until everything is drawn. Error(output) if gnuplot reported trouble.
    void finish();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
