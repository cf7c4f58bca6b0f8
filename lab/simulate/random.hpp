// Random numbers that are the same everywhere for the same seed.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>
#include <string>

#include "core/base/text.hpp"

namespace rt::lab {

// SplitMix64 (Steele, Lea, Flood 2014).
class Random {
  public:
    explicit Random(std::uint64_t seed) : state_(seed) {}
    double uniform() {  // in (0, 1)
        state_ += 0x9e3779b97f4a7c15u;
        std::uint64_t z = state_;
        z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
        z = (z ^ (z >> 27)) * 0x94d049bb133111ebu;
        z ^= z >> 31;
        return (static_cast<double>(z >> 11) + 0.5) * 0x1p-53;
    }
    // Standard normal (Box and Muller 1958).
    double normal() {
        return std::sqrt(-2 * std::log(uniform())) * std::cos(2 * std::numbers::pi * uniform());
    }

  private:
    std::uint64_t state_;
};

// Of what is drawn for `what` the `visit`-th time in a world of this seed.
inline std::uint64_t seed_of(std::uint64_t world, const std::string& what, std::uint64_t visit) {
    return fnv1a(what + "#" + std::to_string(visit), fnv1a(std::to_string(world)));
}

}  // namespace rt::lab
