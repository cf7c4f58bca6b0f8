// The shape of one edge, ready for any place between samples.
#pragma once

#include <tuple>
#include <vector>

namespace rt {

// From 0 to 1: an error function, then a first-order low-pass. Held for 64 places within a sample, with
// straight lines between these (off by at most 3e-5 of a step that takes 1.5 samples).
class StepResponse {
  public:
    // `time`: 20 % to 80 %, in samples; `bandwidth`: -3 dB, in parts of the sample rate, 0 for none.
    StepResponse(double time, double bandwidth);

    // Samples before and behind the middle of the error function that are not yet 0 and 1.
    double before() const { return before_; }
    double after() const { return after_; }
    std::size_t length() const { return length_; }
    // Two rows of length() samples, from one that lies `offset` samples from the middle on (between -before()
    // and 1 - before()), and the part of the second in what it is.
    std::tuple<const float*, const float*, double> rows(double offset) const;

  private:
    double before_, after_;
    std::size_t length_;
    std::vector<float> table_;
};

// The same at a distance from the middle, in samples.
double step_value(double offset, double time, double bandwidth);

}  // namespace rt
