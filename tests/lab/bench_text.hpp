// Parts of bench files for tests.
#pragma once

#include <string>

// An instrument in a role, simulated unless an address says otherwise; `keys` are further lines.
inline std::string instrument_text(const std::string& role, const std::string& dialect,
                                   const std::string& port, const std::string& keys = "",
                                   const std::string& address = "simulated") {
    return "[[instrument]]\nrole = \"" + role + "\"\nname = \"x\"\naddress = \"" + address +
           "\"\ndialect = \"" + dialect + "\"\nconnected_to = \"" + port + "\"\n" + keys;
}
