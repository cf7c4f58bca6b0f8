#include "lab/version.hpp"

namespace rt {
const char* version() {
    return RT_VERSION;
}
}  // namespace rt
