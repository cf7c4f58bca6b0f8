// The shared store as commands are told of it.
#pragma once

#include "cli/command.hpp"

namespace rt::cli {

inline constexpr OptionInfo store_option{
    "store", "ADDRESS",
    "the shared store as libpq takes it; RARE_TALLY_STORE without it. Passwords: ~/.pgpass"};

// The address given, or that of the environment; "" without one.
std::string store_address(const Call& call);

}  // namespace rt::cli
