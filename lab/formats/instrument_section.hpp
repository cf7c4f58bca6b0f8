// The instruments of a bench file, and the converters between them and the program.
#pragma once

#include <filesystem>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/bench.hpp"

namespace rt::lab {

extern const SectionInfo instrument_section, converter_section;

// Files that it names go to `named`. Throws Error(input) with the place.
Instrument read_instrument(const ConfigSection& section, const std::filesystem::path& bench,
                           const InputFiles& files, std::vector<NamedFile>& named);
void join_converters(const ConfigSection& root, Bench& bench);
void require_own_addresses(const Bench& bench);

}  // namespace rt::lab
