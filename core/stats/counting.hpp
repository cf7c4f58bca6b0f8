// Counted errors: bounds of the true ratio, how many trials a limit needs, how sure one can be of it.
#pragma once

#include <cstdint>
#include <optional>

namespace rt {

// Bounds of a mean of which `events` were counted (Poisson), one-sided at this confidence between 0 and 1:
// half of a quantile of chi-squared with 2 (events + 1), or 2 events, degrees of freedom (F. Garwood,
// Biometrika 28, 1936). Divided by the trials they bound a small ratio. Throw Error(input) for another
// confidence.
double events_upper_bound(std::uint64_t events, double confidence);
double events_lower_bound(std::uint64_t events, double confidence);

// The fewest trials with which so many events show, at this confidence, that the true ratio lies below the
// limit (exact, binomial). Nothing for a limit that is not between 0 and 1 or needs more than 1e15 trials.
std::optional<std::uint64_t> trials_needed(double limit, double confidence, std::uint64_t events);

// How sure it is that the true ratio lies below the limit: the chance that a ratio at the limit shows more
// events than were seen. 0 without trials.
double confidence_below(std::uint64_t events, std::uint64_t trials, double limit);

}  // namespace rt
