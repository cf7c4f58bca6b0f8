// Frames of a storage link: what stands between start and end primitives of its 8b/10b stream.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/serial/code_8b10b.hpp"

namespace rt {

// The link's check of 32 bits over the double words of a frame: 0x04C11DB7, from 0x52325032 (Serial ATA, link
// layer).
std::uint32_t storage_check(std::span<const std::uint32_t> words);

// The link's scrambler 1 + x^4 + x^13 + x^15 + x^16 from all ones: what `count` double words of a frame are
// exclusive-ored with.
std::vector<std::uint32_t> storage_scrambling(std::size_t count);

struct FrameSeen {
    std::size_t first_bit = 0;  // of its start primitive
    std::size_t words = 0;      // with the check
    bool whole = false;         // ended by its end primitive
    bool check_right = false, characters_right = true;
    std::uint8_t type = 0;  // first octet
};

struct StorageStream {
    std::vector<FrameSeen> frames;              // the first 100,000
    std::uint64_t count = 0, wrong_checks = 0;  // whole frames; those with a wrong check
    std::uint64_t broken = 0;                   // without end, or with a wrong character inside
    std::uint64_t stray_words = 0;  // double words that are neither data of a frame nor primitives
    std::map<std::string, std::uint64_t> primitives;  // by name
};

// Reads the characters of a stream one after the other.
class StorageFrames {
  public:
    // `bit` is where the character begins.
    void add(const Decoded& character, std::size_t bit);
    const StorageStream& seen() const { return seen_; }

  private:
    void word();
    void close(bool whole);

    StorageStream seen_;
    std::vector<Decoded> held_;
    std::size_t held_bit_ = 0;
    bool aligned_ = false, in_frame_ = false, repeats_ = false;
    bool placed_ = false;  // a primitive has told whether a frame is under way
    FrameSeen frame_;
    std::vector<std::uint32_t> data_;
};

}  // namespace rt
