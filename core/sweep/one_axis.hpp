// Points at which one axis alone is moved, to look at each of its values once.
#pragma once

#include <cstddef>
#include <cstdint>

#include "core/sweep/sweep.hpp"

namespace rt {

// All axes at their first values but this one, and those that are coupled with it.
inline Point point_with(const Sweep& sweep, std::size_t axis, std::size_t value) {
    Point out;
    out.settings.assign(sweep.axes.size(), 0);
    std::size_t first = axis;
    while (first > 0 && sweep.axes[first].coupled) --first;
    for (std::size_t i = first; i < sweep.axes.size() && (i == first || sweep.axes[i].coupled); ++i)
        out.settings[i] = static_cast<std::uint32_t>(value);
    return out;
}

}  // namespace rt
