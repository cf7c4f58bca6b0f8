// Where the captures of a test come from, besides the bench in its own state: [[test.take]] and "inputs".
#pragma once

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/named_file.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

extern const SectionInfo take_section;

// Fills takes, sources and files; what files hold is added to `named`. Throws Error(input) for inputs that
// the procedure does not have, for one that comes from two places, and for one that is needed and comes from
// nowhere.
void read_inputs(const ConfigSection& section, const InputFiles& files, std::vector<NamedFile>& named,
                 Test& test);

// "inputs" alone: from earlier tests and files.
void read_given(const ConfigSection& section, const InputFiles& files, std::vector<NamedFile>& named,
                Test& test);
void read_file_input(const ConfigSection& section, const std::string& input, const std::string& reference,
                     const InputFiles& files, std::vector<NamedFile>& named, Test& test);

}  // namespace rt::lab
