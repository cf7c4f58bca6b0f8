// Regions of an eye that no sample may enter.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

namespace rt {

struct Corner {
    double x = 0;  // UI from the nominal crossing, 0 to 1
    double y = 0;  // volts
};

// A closed polygon. Sides follow the corners, the last one leads back to the first.
class MaskRegion {
  public:
    // Throws Error(input) for fewer than three corners.
    explicit MaskRegion(std::vector<Corner> corners);

    bool holds(double x, double y) const;  // strictly inside
    // Scaled about its middle by this factor (in both directions) the region would just reach the place:
    // below 1 inside. Only for convex() regions.
    double growth_to(double x, double y) const;
    bool convex() const { return convex_; }
    const std::vector<Corner>& corners() const { return corners_; }
    Corner middle() const { return middle_; }

  private:
    struct Side {
        double nx, ny;  // outward, so that the side itself stands at 1
    };
    std::vector<Corner> corners_;
    std::vector<Side> sides_;
    Corner middle_;
    bool convex_ = true;
};

// Everything that an eye is held against. Limits are crossed by samples beyond them.
struct EyeMask {
    std::vector<MaskRegion> regions;
    std::optional<double> upper_v, lower_v;                        // for all symbols ...
    std::optional<double> upper_transition_v, lower_transition_v;  // ... or those after a transition

    bool empty() const {
        return regions.empty() && !upper_v && !lower_v && !upper_transition_v && !lower_transition_v;
    }
};

// "0.1 0, 0.4 0.3, 0.6 0.3, 0.9 0, 0.6 -0.3, 0.4 -0.3, 0.1 0": corners of a region, each a place in the eye
// and a level, the first one repeated at the end; several regions with ";" between. Places are in UI, or
// times with their unit when `interval_s` is known; levels are in volts (or with unit), or parts of the
// amplitude that low_v and high_v span. Throws Error(input) naming the corner that is wrong, or the region
// that is not closed.
struct MaskScale {
    double interval_s = 0;
    double low_v = 0, high_v = 1;  // what levels 0 and 1 mean
};
std::vector<MaskRegion> parse_mask(std::string_view text, const MaskScale& scale);

}  // namespace rt
