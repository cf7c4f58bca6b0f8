// Who the maritime identification digits are allotted to (ITU, table of maritime identification digits);
// entered from memory, fairly sure.
#pragma once

namespace rt::beacon {

// "France" for 227; null for digits that are allotted to nobody.
const char* country_of(int digits);

}  // namespace rt::beacon
