// A storage link, character by character.
#pragma once

#include <doctest/doctest.h>

#include "core/serial/storage_frames.hpp"
#include "core/signal/waveform.hpp"
#include "tests/core/made_waves.hpp"

namespace made {

class StorageLine {
  public:
    // The first octet of a primitive is its control character.
    void primitive(std::uint32_t word) { send(word, true); }
    void sync(int times) {
        for (int i = 0; i < times; ++i) primitive(0xB5B5957C);
    }
    void align() { primitive(0x7B4A4ABC); }
    void frame(std::vector<std::uint32_t> words, bool right_check = true, bool ended = true) {
        primitive(0x3737B57C);
        words.push_back(rt::storage_check(words) ^ (right_check ? 0 : 1));
        const auto scrambling = rt::storage_scrambling(words.size());
        for (std::size_t i = 0; i < words.size(); ++i) {
            if (i == 2) align();  // may stand anywhere
            send(words[i] ^ scrambling[i], false);
        }
        if (ended) primitive(0xD5D5B57C);
    }
    // Steps of 1.5 GHz at 12 GS/s.
    rt::Waveform wave() const {
        Switching s;
        s.edges_s = edges_of(bits, 1 / 1.5e9, [](std::size_t) { return 0.0; });
        s.rise_s = 100e-12;
        const double rate = 12e9, count = static_cast<double>(bits.size()) / 1.5e9 * rate;
        return rt::waveform_in_memory(volts(s, rate, static_cast<std::size_t>(count)), 1 / rate);
    }
    std::vector<bool> bits;

  private:
    void send(std::uint32_t word, bool control) {
        for (int i = 0; i < 4; ++i) {
            const auto ten =
                rt::encode_8b10b({static_cast<std::uint8_t>(word >> (8 * i)), control && i == 0}, positive_);
            REQUIRE(ten);
            for (int k = 9; k >= 0; --k) bits.push_back(*ten >> k & 1);
        }
    }
    bool positive_ = false;
};

}  // namespace made
