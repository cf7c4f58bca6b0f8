// One value out of several that are known with different uncertainty.
#pragma once

#include <vector>

namespace rt {

struct Weighted {
    double value = 0;
    double deviation = 0;  // its standard uncertainty
};

struct Combined {
    double value = 0, deviation = 0;
    bool agree = true;  // no more scattered than their uncertainties explain
};

// Values weighted by the reciprocals of their variances. They agree while the sum of squared distances over
// variances is at most twice its expectation plus four standard deviations of it (chi-squared with one less
// than their number). Where they do not agree the value is the one farthest from zero, with its own
// uncertainty: a mean would hide it. At least one value; deviations above 0.
Combined combined(const std::vector<Weighted>& values);

}  // namespace rt
