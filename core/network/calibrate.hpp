// Error terms from readings of standards.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/network/two.hpp"
#include "core/signal/calibration_kit.hpp"
#include "core/signal/error_terms.hpp"

namespace rt {

enum class CalibrationMethod { one_port, two_port, unknown_thru, thru_reflect_line, line_reflect_match };
// In words: "open, short, load and thru".
const char* name(CalibrationMethod method);

// Raw data of a standard at one port, or between both (port 0).
struct StandardReading {
    std::string name;  // that of the standard in the kit; "isolation", "switch-terms"
    std::size_t port = 0;
    const Network* data = nullptr;

    // "open at port 1"
    std::string text() const;
    // Reflection at its port; one-port data is of that port, whichever.
    Complex at(std::size_t index) const {
        return data->ports == 1 ? data->s[index] : data->at(index, port, port);
    }
};

struct CalibrationOptions {
    CalibrationMethod method = CalibrationMethod::two_port;
    std::size_t port = 1;                     // one_port
    double noise_floor = 0, noise_share = 0;  // of a raw reading, standard deviations
    bool upright = true;  // the phase of reflection tracking begins at 0: tells swapped standards
};

// What the readings are good for. Refuses (Error(signal)) what no number can be right by:
//  - a standard that reads as another one does, or whose definitions lie closer than 0.05 to one another
//  - a thru that lets nothing through, open and short swapped, a source match of 1 or more
//  - readings of more than three standards that contradict one another; a line within 5 degrees of 0 or 180
// Throws Error(input) for a kit without a standard, readings that the method lacks, and different
// frequencies. Notes in `deviations` what still may be right: switch terms that are not known, a line outside
// 20 to 160 degrees, a directivity above the tracking, a phase that begins at 180 degrees.
//
// One port: least squares of D + G M S - G (D S - T) = M over its standards. Two ports: load match and
// transmission tracking by the thru. Unknown thru: A. Ferrero, U. Pisani, IEEE Microwave and Guided Wave
// Letters 2 (1992). Thru-reflect-line: G. Engen, C. Hoer, IEEE Trans. MTT 27 (1979), planes at both ends of
// the thru. Line-reflect-match: H. Eul, B. Schiek, IEEE Trans. MTT 39 (1991). Switch terms into twelve terms:
// R. Marks, 50th ARFTG Conference (1997).
ErrorTerms calibrate(const CalibrationKit& kit, const std::vector<StandardReading>& readings,
                     const CalibrationOptions& options);

}  // namespace rt
