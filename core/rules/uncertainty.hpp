// Measurement uncertainty: what contributes to it, and what it means for a verdict.
#pragma once

#include <limits>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/quantity/quantity.hpp"

namespace rt {

enum class Distribution { normal, rectangular, triangular, u_shaped };
const char* name(Distribution distribution);
std::optional<Distribution> parse_distribution(std::string_view text);

// One contribution, as a half-width; of a normal distribution with the coverage factor that it is stated for.
struct Contribution {
    std::string name;
    double value = 0;
    Distribution distribution = Distribution::normal;
    double coverage = 2;
    double sensitivity = 1;

    // Value over the divisor: coverage, sqrt 3, sqrt 6 or sqrt 2 (GUM 4.3), times the sensitivity.
    double standard() const;
};

// What a bench declares for some results: in dB, in their own unit, or in percent of the value.
struct Budget {
    std::string name;
    std::vector<std::string> applies_to;  // traces and results; empty for all whose margin has this unit
    Unit unit = Unit::db;
    double from_hz = 0, to_hz = std::numeric_limits<double>::infinity();
    std::vector<Contribution> contributions;

    // Root of the sum of squares (GUM 5.1.2, no correlation), times `coverage`.
    double expanded(double coverage = 2) const;
    bool speaks_for(const std::string& product, Unit margin_unit) const;
};

// "mains port: receiver 1.5 dB (normal, k = 2), mismatch 0.9 dB (u-shaped); U = 2.1 dB (k = 2)".
std::string budget_text(const Budget& budget);

// How uncertainty enters a verdict.
enum class Decision {
    simple,   // not at all: the value against the limit
    guarded,  // the limit is tightened by the expanded uncertainty (ILAC-G8, JCGM 106: guard band w = U)
    cispr,    // by as much as it exceeds what the standard allows for (CISPR 16-4-2: Ulab against Ucispr)
};
const char* name(Decision decision);
std::optional<Decision> parse_decision(std::string_view text);

// The chance that the true value lies beyond the limit although the reading has this margin, for a normal
// distribution of the error with half the expanded uncertainty.
double chance_beyond(double margin, double expanded);

}  // namespace rt
