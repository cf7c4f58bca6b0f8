// Error terms at one frequency, from readings there. Used for the terms and for how noise moves them.
#pragma once

#include <span>

#include "core/network/two.hpp"
#include "core/signal/error_terms.hpp"

namespace rt {

// Directivity, source match and reflection tracking of one port.
struct PortTerms {
    Complex directivity, source_match, tracking;
};

// From known reflections and what they read, by least squares where there are more than three.
PortTerms solve_port(std::span<const Complex> actual, std::span<const Complex> read);

// What keeps driven and resting states of the analyser alike: S = (M - M G ...) of both directions, with
// forward = a2/b2 while port 1 drives, backward = a1/b1 while port 2 drives.
Two without_switch(const Two& raw, Complex forward, Complex backward);

// Twelve terms of two ports and what joins them: `joint` = e10 e32. Isolation is left 0.
TermValues twelve_terms(const PortTerms& one, const PortTerms& two, Complex joint, Complex forward,
                        Complex backward);

// By a thru with known parameters: load match and transmission tracking as they are, isolation given.
TermValues terms_by_thru(const PortTerms& one, const PortTerms& two, const Two& raw, const Two& thru,
                         Complex isolation_forward, Complex isolation_backward);

// e10 e32 by a reciprocal thru; of both roots the one that makes its S21 closer to `near`.
Complex joint_by_thru(const PortTerms& one, const PortTerms& two, const Two& raw, Complex near);

// Lines and reflects. `through` is the thru (or the line of line-reflect-match) as chain parameters of raw
// data without switch terms.
struct LineTerms {
    PortTerms one, two;
    Complex joint;
    Complex reflection;  // of the reflect, as found
};

// The other line as chain parameters of raw data; `turn` is about exp(-gamma (l_line - l_thru)),
// `reflect_near` about what the reflect is. Planes in the middle of the thru. `eigen` comes back as
// exp(-gamma (l_line - l_thru)) as found.
LineTerms solve_thru_line(const Two& through, const Two& line, Complex turn, Complex reflect_1,
                          Complex reflect_2, Complex reflect_near, Complex& eigen);

// `once` = exp(-gamma l) of the line in between, `match` what the match is, read as match_1 and match_2.
// Planes at both ends of the line.
LineTerms solve_line_match(const Two& through, Complex once, Complex match, Complex match_1, Complex match_2,
                           Complex reflect_1, Complex reflect_2, Complex reflect_near);

}  // namespace rt
