// Recorded captures instead of an instrument, found by a file-name pattern.
#pragma once

#include <filesystem>

#include "lab/formats/bench_file.hpp"
#include "lab/formats/test_section.hpp"

namespace rt {

// The file for a point. The pattern of the instrument's address ("files:captures/*-{test}-{label}.csv") may
// hold {test}, {label}, {repeat} and the axes' names, made safe as in captures of a run, and * for anything.
// Of several the last by name is taken. Throws Error(bench) when there is none, Error(input) for an unknown
// placeholder.
std::filesystem::path find_recorded(const Instrument& instrument, const Test& test, const Sweep& sweep,
                                    const Point& point);

}  // namespace rt
