// A run as a workbook (Office Open XML): numbers as numbers.
#pragma once

#include <filesystem>

#include "lab/model/record.hpp"

namespace rt::lab {

// One sheet with all findings, one sheet a test: a column for each axis and each result, with units in the
// headings, and a chart of the judged result over the axis where the test sweeps one. Written whole or not at
// all. Throws Error(output).
void write_workbook(const RunRecord& run, const std::filesystem::path& file);

}  // namespace rt::lab
