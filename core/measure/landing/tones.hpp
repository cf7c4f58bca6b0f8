// The tones in the modulation of a landing system.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "core/dsp/coherent_am.hpp"
#include "core/landing/morse.hpp"

namespace rt::landing {

struct Tone {
    double hz = 0;
    double depth = 0;  // amplitude over the carrier
    double phase = 0;  // radians of its sine in the middle of the record
};

// Tones near 90 Hz and 150 Hz (5 % to either side), by least squares over all samples with their frequencies.
std::array<Tone, 2> navigation_tones(const CoherentAm& audio);

struct Ident {
    double hz = 0;
    double depth = 0;  // while it is on
    bool keyed = false;
    std::vector<Mark> marks;
};
// A tone from 950 to 1090 Hz of at least this depth, steady or keyed; means over 10 ms of what is left
// without the navigation tones.
std::optional<Ident> ident_tone(const CoherentAm& audio, const std::array<Tone, 2>& tones,
                                double least_depth);

}  // namespace rt::landing
