// A part of a record instead of all of it.
#pragma once

#include <cstdint>

#include "core/outcome/parameters.hpp"

namespace rt {

inline constexpr ParameterInfo from_parameter{"from", ParameterKind::quantity, Unit::second, "0 s",
                                              "begin of the part of the record that is measured"};
inline constexpr ParameterInfo to_parameter{"to", ParameterKind::quantity, Unit::second, "",
                                            "its end; without it that of the record"};
inline constexpr std::array part_rows{from_parameter, to_parameter};

struct RecordPart {
    std::uint64_t first = 0, last = 0;  // samples, the last one beyond the part
};

// The part that the parameters from and to name of a record of `size` samples. Throws Error(input) for one
// that the record does not hold, or of fewer than `fewest` samples of `what`.
RecordPart part_named(const Parameters& parameters, std::uint64_t size, double step_s, std::uint64_t fewest,
                      const char* what);

}  // namespace rt
