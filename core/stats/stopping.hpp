// When counting may end: as soon as what was counted decides.
#pragma once

#include <cstdint>
#include <string>

namespace rt {

struct Stopping {
    enum class Kind {
        count,       // never before all are counted
        sequential,  // A. Wald's sequential probability ratio test (Sequential Analysis, 1947)
        bounds,  // an exact bound of the ratio is clear of the limit, each look with its share of the risk
        time,    // when the time is over
    };
    Kind kind = Kind::count;
    double limit = 0;         // ratio that still passes
    double good = 0;          // ratio of a good unit, below the limit (sequential)
    double risk_pass = 0.05;  // chance that a unit at the limit is taken for better
    double risk_fail = 0.05;  // chance that a good one (bounds: one at the limit) is taken for worse
    std::uint64_t looks = 1;  // at most so many decisions (bounds)
    bool by_bits = false;     // bits decide, not packets
};
const char* name(Stopping::Kind kind);  // "count" ...

enum class Course { undecided, better, worse };

// Throws Error(input) naming the parameter (limit, good, risk_pass, risk_fail) that is out of range.
void require_valid(const Stopping& stopping);

// What so many events in so many trials decide. `better`: the ratio counted lies below the limit as well;
// `worse`: above it as well, so that whoever judges the ratio says the same. Kinds that do not decide are
// always undecided.
Course course_of(const Stopping& stopping, std::uint64_t events, std::uint64_t trials);

// "sequential, limit 30.8 %, good 15.4 %, risks 5 % and 5 %"
std::string text_of(const Stopping& stopping);

}  // namespace rt
