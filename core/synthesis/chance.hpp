// Random numbers by place: what number 17 of a seed is does not depend on who asked before. Signals are made
// in pieces, by several threads, and come out the same.
#pragma once

#include <cstdint>
#include <span>

namespace rt {

class Chance {
  public:
    explicit Chance(std::uint64_t seed, std::uint64_t stream = 0);

    // 64 even bits (SplitMix64: Steele, Lea, Flood 2014).
    std::uint64_t bits(std::uint64_t number) const {
        std::uint64_t z = base_ + (number + 1) * 0x9e3779b97f4a7c15u;
        z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
        z = (z ^ (z >> 27)) * 0x94d049bb133111ebu;
        return z ^ (z >> 31);
    }
    // Standard normal, out of the inverse of its distribution: straight between 16384 places, exact in the
    // tails.
    double normal(std::uint64_t number) const;
    // Adds `rms` times the normal numbers from `first` on.
    void add_normal(std::uint64_t first, double rms, std::span<float> to) const;

  private:
    std::uint64_t base_;
};

// The place below which this share of a standard normal distribution lies, for 0 < share < 1.
double normal_place(double share);

}  // namespace rt
