// JSON Schema of file types, for editors that complete and check TOML.
#pragma once

#include <string>

#include "lab/formats/config.hpp"

namespace rt::lab {

// Draft 7, out of the tables that the reader itself uses. It knows names and kinds; what belongs together
// only the reader knows.
std::string config_schema(const FileInfo& file);

}  // namespace rt::lab
