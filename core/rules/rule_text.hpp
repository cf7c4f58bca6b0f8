// What a rule says, in words.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/rules/rule.hpp"

namespace rt {

// The limit, a line for each piece: "at most  150 kHz to 500 kHz: 66 dBµV to 56 dBµV, linear in log
// frequency".
std::vector<std::string> limit_text(const Rule& rule);

// Everything that a verdict depends on, each thing by its name: clause, limit, detector, conditions ...
std::map<std::string, std::string> sayings(const Rule& rule);

// All of it, with the standard and its edition, as one text that changes with any of them: what a sign-off is
// of.
std::string signed_text(RuleRef ref);

// What a careful reader would ask about, each in a line: nothing for most rules. `products` are the names
// that any procedure gives.
std::vector<std::string> doubts(RuleRef ref, const std::vector<std::string>& products);

}  // namespace rt
