// What looks odd in the curves of a sweep: hints for the user, never a verdict.
#pragma once

#include <span>
#include <string>
#include <vector>

namespace rt {

// How a result goes as the value of an axis grows.
enum class Trend { none, rising, falling };

struct CurvePoint {
    double x = 0, y = 0;
    // Between these the true value lies as far as is known: the ends of an interval of confidence, or value
    // and expanded uncertainty. Both are y where nothing is known.
    double low = 0, high = 0;
};

struct SweepCurve {
    std::string name;                // "mode=idle"
    std::vector<CurvePoint> points;  // by ascending x
};

enum class AnomalyKind { dead, outlying, saturated, shifted, not_monotonic, step, outlier };

const char* name(AnomalyKind kind);  // "dead curve", "not monotonic" ...

struct Anomaly {
    AnomalyKind kind = AnomalyKind::outlier;
    std::size_t curve = 0;  // of those given
    std::size_t point = 0;  // the one to look at; of a step the first behind it; 0 for a whole curve
    double by = 0;          // how far it stands away, in the unit of y
    double usual = 0;       // what is usual there: six robust standard deviations, or the tolerance
};

// Looks at curves of one result over one axis.
// - dead curve: its values stay within 1 % of what the other curves usually run through; at least three
// curves of
//   five points.
// - outlying curve: its median stands away from the median of all curves by more than six robust standard
//   deviations (1.4826 times the median absolute deviation, Hampel 1974) and a twentieth of the greatest span
//   of a curve; at least four curves.
// - saturates early: where it should rise, its greatest value stays below the median of all curves' by more
//   than six robust standard deviations and a tenth of it; at least four curves of five points.
// - shifted: where there is a trend, the place at which it passes the middle between its least and its
//   greatest value stands away from the median of all curves by more than six robust standard deviations and
//   a step; at least four curves of five points.
// - not monotonic: against `trend`, beyond both ends of what is known of the two values; by a twentieth
//   of the curve's span where nothing is known of any.
// - outlier: away from the line through both neighbours by more than six robust standard deviations of all
// such
//   distances, by a twentieth of the curve's span and by its own interval; at least seven points. Curves with
//   a trend are looked at for that alone.
// - step: two such distances side by side, of opposite sign and alike, say that the curve jumps between them.
// Values that are not finite are passed over. Cost: n log n.
std::vector<Anomaly> find_anomalies(std::span<const SweepCurve> curves, Trend trend);

}  // namespace rt
