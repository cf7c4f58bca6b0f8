#pragma once

namespace rt::lab {
const char* version();  // "0.1.0"
}  // namespace rt::lab
