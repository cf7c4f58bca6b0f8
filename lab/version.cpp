#include "lab/version.hpp"

namespace rt::lab {
const char* version() {
    return RT_VERSION;
}
}  // namespace rt::lab
