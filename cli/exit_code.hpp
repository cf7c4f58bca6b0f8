// Exit codes, the same for every command.
#pragma once

#include "core/base/error.hpp"
#include "core/rules/finding.hpp"

namespace rt::cli {

enum class ExitCode {
    passed = 0,  // all passed, or nothing was to be judged
    failed = 1,  // a finding failed
    wrong_input = 2,
    trouble = 3,     // bench, instrument or output
    no_verdict = 4,  // incomplete, or a finding without verdict
    own_fault = 5,   // a fault of this program
};

inline ExitCode exit_code(const VerdictCounts& counts, bool complete) {
    if (counts.fail > 0) return ExitCode::failed;
    return counts.none > 0 || !complete ? ExitCode::no_verdict : ExitCode::passed;
}

inline ExitCode exit_code(ErrorKind kind) {
    if (kind == ErrorKind::internal) return ExitCode::own_fault;
    return kind == ErrorKind::input || kind == ErrorKind::signal ? ExitCode::wrong_input : ExitCode::trouble;
}

}  // namespace rt::cli
