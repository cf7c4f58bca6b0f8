// A further file that campaign or bench name.
#pragma once

#include <string>

namespace rt::lab {

// A further file that campaign or bench name, for the copies of a run.
struct NamedFile {
    std::string kind, reference, text;
};

}  // namespace rt::lab
