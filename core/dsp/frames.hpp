// Where the overlapping transforms of a record stand: all along it, or only within gates.
#pragma once

#include <cstdint>
#include <vector>

namespace rt {

// A part of a record, in seconds from its beginning.
struct Gate {
    double from_s = 0, to_s = 0;
};

class Frames {
  public:
    // Frames of `length` samples every `hop` samples over a record of `samples`. With gates only frames that
    // lie wholly within one of them count; without, all do. Gates ascend and do not overlap.
    Frames(std::uint64_t samples, std::size_t length, std::size_t hop, double sample_rate_hz,
           const std::vector<Gate>& gates);

    std::uint64_t count() const { return count_; }

    struct Run {
        std::uint64_t sample = 0;  // where the first frame begins
        std::size_t frames = 0;    // that follow one another by the hop
    };
    // The frames from number `from` on that stand in a row, at most `most` and not beyond number `to`.
    Run run(std::uint64_t from, std::uint64_t to, std::size_t most) const;

  private:
    struct Stretch {
        std::uint64_t before, sample, frames;  // frames before it, first sample, number
    };
    std::size_t hop_;
    std::uint64_t count_ = 0;
    std::vector<Stretch> stretches_;
};

}  // namespace rt
