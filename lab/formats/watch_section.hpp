// What is kept an eye on through a run: side quantities with limits, and results that must stay as they were.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/procedure_library.hpp"
#include "lab/model/named_file.hpp"
#include "lab/model/watch.hpp"

namespace rt::lab {

extern const SectionInfo watch_section, recheck_section;

Watch read_watch(const ConfigSection& section);

// Files that its inputs name are added to `named`.
Recheck read_recheck(const ConfigSection& section, const ProcedureLibrary& procedures,
                     const InputFiles& files, std::vector<NamedFile>& named);

}  // namespace rt::lab
