// Analysis files: a measurement of the user's own as TOML, and the program that makes it.
#pragma once

#include <filesystem>
#include <memory>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/analysis.hpp"

namespace rt::lab {

extern const FileInfo analysis_file;

// The procedure has everything but the function that measures. With `starts` the program must be there.
// Throws Error(input).
std::shared_ptr<OwnProcedure> read_analysis(const std::filesystem::path& file, const InputFiles& files,
                                            bool starts);

}  // namespace rt::lab
