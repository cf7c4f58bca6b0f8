// What a laboratory does with its rules: sign them off, and look for slips in its own.
#pragma once

#include "cli/command.hpp"

namespace rt::cli {

// `rules sign ID... --by NAME --document TEXT [--on DATE] [--into FILE]`
void sign_rules(const Call& call, const std::vector<RuleRef>& rules);

// `rules lint [FILE | BOOK ...]`: doubts about the rules, each in a line.
ExitCode lint_rules(const Call& call, RuleLibrary& library, const std::vector<std::string>& wanted);

}  // namespace rt::cli
