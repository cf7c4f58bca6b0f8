// Spectra as analysers and their programs export them: a preamble of any form, then rows of numbers with any
// separator, decimal points or commas, one or several curves. The file itself is never changed.
#pragma once

#include <string>
#include <string_view>

#include "core/signal/spectrum.hpp"
#include "lab/formats/layout_file.hpp"

namespace rt::lab {

// Whether a text has rows of numbers behind something that is no single heading, decimal commas, several
// blocks of rows, or spaces between its columns.
bool looks_exported(std::string_view text);
bool has_decimal_commas(std::string_view text);

// What the layout does not say is found: the longest run of rows of numbers, its separator, the units in the
// heading or the preamble ("RBW", "Detector", "Unit", "Start", "Stop", "Points", in words that many use).
// UTF-8, UTF-16 and Latin-1 are told apart. Nothing is guessed that a level or a limit depends on: no unit,
// two columns that could be meant, two blocks of rows, fewer rows than the preamble states, a row within them
// that holds something else throw Error(input) with the place and what to state. `used`, where it is given,
// becomes the layout with all that was found.
Spectrum parse_exported(std::string_view text, const std::string& file, const SpectrumLayout& layout,
                        SpectrumLayout* used = nullptr);

}  // namespace rt::lab
