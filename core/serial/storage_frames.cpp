#include "core/serial/storage_frames.hpp"

#include <array>

namespace rt {
namespace {

constexpr std::uint8_t d(int x, int y) {
    return static_cast<std::uint8_t>(y << 5 | x);
}
constexpr std::uint8_t k28_3 = d(28, 3), k28_5 = d(28, 5);

struct Primitive {
    const char* name;
    std::uint8_t first;  // the control character
    std::array<std::uint8_t, 3> rest;
};
constexpr std::array primitives{
    Primitive{"ALIGN", k28_5, {d(10, 2), d(10, 2), d(27, 3)}},
    Primitive{"SYNC", k28_3, {d(21, 4), d(21, 5), d(21, 5)}},
    Primitive{"SOF", k28_3, {d(21, 5), d(23, 1), d(23, 1)}},
    Primitive{"EOF", k28_3, {d(21, 5), d(21, 6), d(21, 6)}},
    Primitive{"CONT", k28_3, {d(10, 5), d(25, 4), d(25, 4)}},
    Primitive{"HOLD", k28_3, {d(10, 5), d(21, 6), d(21, 6)}},
    Primitive{"HOLDA", k28_3, {d(10, 5), d(21, 4), d(21, 4)}},
    Primitive{"X_RDY", k28_3, {d(21, 5), d(23, 2), d(23, 2)}},
    Primitive{"R_RDY", k28_3, {d(21, 4), d(10, 2), d(10, 2)}},
    Primitive{"R_IP", k28_3, {d(21, 5), d(21, 2), d(21, 2)}},
    Primitive{"R_OK", k28_3, {d(21, 5), d(21, 1), d(21, 1)}},
    Primitive{"R_ERR", k28_3, {d(21, 5), d(22, 2), d(22, 2)}},
    Primitive{"WTRM", k28_3, {d(21, 5), d(24, 2), d(24, 2)}},
};

}  // namespace

std::uint32_t storage_check(std::span<const std::uint32_t> words) {
    std::uint32_t check = 0x52325032;
    for (const std::uint32_t word : words) {
        check ^= word;
        for (int bit = 0; bit < 32; ++bit) check = check << 1 ^ (check & 0x80000000U ? 0x04C11DB7U : 0);
    }
    return check;
}

std::vector<std::uint32_t> storage_scrambling(std::size_t count) {
    std::vector<std::uint32_t> out;
    // A register of 16 stages; the bit that leaves it scrambles the next bit on the line.
    unsigned state = 0xFFFF;
    const auto next = [&] {
        const unsigned bit = state >> 15 & 1;
        state = (state << 1 ^ (bit ? 0xA011U : 0)) & 0xFFFF;
        return bit;
    };
    for (std::size_t i = 0; i < count; ++i) {
        std::uint32_t word = 0;
        for (int bit = 0; bit < 32; ++bit) word |= next() << bit;
        out.push_back(word);
    }
    return out;
}

void StorageFrames::add(const Decoded& character, std::size_t bit) {
    const bool control = character.symbol && character.symbol->control;
    if (control) {
        // A double word begins with its only control character.
        if (!held_.empty()) {
            ++seen_.stray_words;
            if (in_frame_) frame_.characters_right = false;
        }
        held_.clear();
        aligned_ = true;
    }
    if (!aligned_) return;
    if (held_.empty()) held_bit_ = bit;
    held_.push_back(character);
    if (held_.size() < 4) return;
    word();
    held_.clear();
}

void StorageFrames::word() {
    bool right = true;
    std::array<std::uint8_t, 4> octets{};
    for (std::size_t i = 0; i < 4; ++i) {
        right &= held_[i].symbol.has_value() && !held_[i].wrong_disparity;
        if (held_[i].symbol) octets[i] = held_[i].symbol->value;
    }
    if (in_frame_ && !right) frame_.characters_right = false;
    const bool control = held_[0].symbol && held_[0].symbol->control;
    if (control) {
        const Primitive* found = nullptr;
        for (const Primitive& p : primitives) {
            if (p.first == octets[0] && std::equal(p.rest.begin(), p.rest.end(), octets.begin() + 1))
                found = &p;
        }
        if (!found) {
            ++seen_.stray_words;
            return;
        }
        const std::string name = found->name;
        ++seen_.primitives[name];
        if (name == "ALIGN") return;  // may stand anywhere
        placed_ = true;
        repeats_ = name == "CONT";
        if (name == "SOF") {
            if (in_frame_) close(false);
            in_frame_ = true;
            frame_ = {};
            frame_.first_bit = held_bit_;
            data_.clear();
        } else if (name == "EOF" && in_frame_) {
            close(true);
        } else if (in_frame_ && (name == "SYNC" || name == "X_RDY" || name == "R_OK")) {
            close(false);
        }
        return;
    }
    // Behind CONT the primitive before goes on, whatever stands here.
    if (repeats_) return;
    if (!in_frame_) {
        // The record may begin within a frame.
        if (!placed_) return;
        ++seen_.stray_words;
        return;
    }
    constexpr std::size_t longest = 2064;  // 8192 octets of data, a head, the check
    data_.push_back(static_cast<std::uint32_t>(octets[0]) | static_cast<std::uint32_t>(octets[1]) << 8 |
                    static_cast<std::uint32_t>(octets[2]) << 16 |
                    static_cast<std::uint32_t>(octets[3]) << 24);
    if (data_.size() > longest) close(false);
}

void StorageFrames::close(bool whole) {
    in_frame_ = false;
    frame_.whole = whole;
    frame_.words = data_.size();
    if (data_.size() >= 2) {
        static const auto scrambling = storage_scrambling(2100);
        for (std::size_t i = 0; i < data_.size(); ++i) data_[i] ^= scrambling[i];
        frame_.type = static_cast<std::uint8_t>(data_[0] & 0xFF);
        frame_.check_right = storage_check({data_.data(), data_.size() - 1}) == data_.back();
    }
    seen_.count += whole;
    seen_.wrong_checks += whole && !frame_.check_right;
    seen_.broken += !whole || !frame_.characters_right;
    if (seen_.frames.size() < 100000) seen_.frames.push_back(frame_);
}

}  // namespace rt
