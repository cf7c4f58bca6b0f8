// What the operator knows of a capture beyond its file.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "core/signal/capture.hpp"
#include "lab/model/spectrum_layout.hpp"

namespace rt::lab {

struct CaptureHints {
    std::optional<double> sample_rate_hz;
    std::optional<double> centre_hz;
    std::optional<double> reference_level_dbm;
    std::optional<double> volts_per_unit;
    std::optional<double> resample_step_s;   // of a CSV file with unevenly spaced times
    const SpectrumLayout* layout = nullptr;  // of a spectrum that another program has written
    SpectrumLayout* layout_used = nullptr;   // becomes what was found in such a file
    std::string sample_type;  // "cf32_le", "ci16_le" ... of a file without description; "" otherwise
};

// The file that a capture is read by, and what was written to it.
struct WrittenCapture {
    std::filesystem::path file;
    std::string content;
};

// The value that the file states, else the hint. Throws Error(input) when both are there and differ.
std::optional<double> agreed(const std::string& file, const char* what, std::optional<double> stated,
                             std::optional<double> hint, Unit unit);

}  // namespace rt::lab
