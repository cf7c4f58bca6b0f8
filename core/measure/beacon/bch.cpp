#include "core/measure/beacon/bch.hpp"

#include <algorithm>
#include <unordered_map>

namespace rt::beacon {

std::uint32_t remainder(const Bch& code, std::span<const std::uint8_t> word) {
    std::uint32_t rest = 0;
    for (const auto bit : word) {
        rest = rest << 1 | bit;
        if (rest >> code.checks & 1) rest ^= code.generator;
    }
    return rest;
}

std::vector<std::uint8_t> checks_of(const Bch& code, std::span<const std::uint8_t> data) {
    std::vector<std::uint8_t> word(data.size() + code.checks);
    std::copy(data.begin(), data.end(), word.begin());
    const auto rest = remainder(code, word);
    std::vector<std::uint8_t> out;
    for (std::size_t k = code.checks; k-- > 0;) out.push_back(static_cast<std::uint8_t>(rest >> k & 1));
    return out;
}

// Each wrong bit adds the remainder of its power: one, two or three of them that add up to that of the word.
std::optional<std::size_t> correct(const Bch& code, std::span<std::uint8_t> word) {
    const std::uint32_t rest = remainder(code, word);
    if (rest == 0) return 0;
    std::vector<std::uint32_t> alone(word.size());
    std::uint32_t power = 1;
    for (std::size_t i = word.size(); i-- > 0;) {
        alone[i] = power;
        power <<= 1;
        if (power >> code.checks & 1) power ^= code.generator;
    }
    std::unordered_map<std::uint32_t, std::size_t> place;
    for (std::size_t i = 0; i < alone.size(); ++i) place.emplace(alone[i], i);
    const auto turn = [&](std::size_t i) { word[i] ^= 1; };
    if (const auto one = place.find(rest); one != place.end()) {
        turn(one->second);
        return 1;
    }
    for (std::size_t i = 0; i < alone.size(); ++i) {
        const auto other = place.find(rest ^ alone[i]);
        if (other == place.end() || other->second == i) continue;
        turn(i), turn(other->second);
        return 2;
    }
    if (code.correctable < 3) return std::nullopt;
    for (std::size_t i = 0; i < alone.size(); ++i) {
        for (std::size_t j = i + 1; j < alone.size(); ++j) {
            const auto other = place.find(rest ^ alone[i] ^ alone[j]);
            if (other == place.end() || other->second == i || other->second == j) continue;
            turn(i), turn(j), turn(other->second);
            return 3;
        }
    }
    return std::nullopt;
}

}  // namespace rt::beacon
