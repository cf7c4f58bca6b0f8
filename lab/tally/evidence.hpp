// Everything of a run that an auditor may ask for, as one archive.
#pragma once

#include <cstddef>
#include <filesystem>

namespace rt::lab {

struct Evidence {
    std::size_t files = 0;
    std::string seal;
};

// Writes the run folder (tally, captures, inputs, reports) as a ZIP file with a list of all hashes, the seal
// and a word on how to verify it. Throws Error(input) when the run is not as it was written, Error(output)
// when the archive cannot be written; then there is none.
Evidence write_evidence(const std::filesystem::path& run, const std::filesystem::path& archive);

}  // namespace rt::lab
