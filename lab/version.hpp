#pragma once

namespace rt {
const char* version();  // "0.1.0"
}  // namespace rt
