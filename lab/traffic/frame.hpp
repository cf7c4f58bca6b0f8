// A frame of traffic: what stands at the head of its payload.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>

namespace rt::lab {

struct FrameHead {
    static constexpr std::size_t octets = 32;
    static constexpr std::uint64_t mark = 0x52545452'41464643;  // ours

    std::uint32_t flow = 0;      // which traffic it belongs to
    std::uint32_t length = 0;    // of the whole payload
    std::uint64_t sequence = 0;  // counts from 0
    std::int64_t sent_ns = 0;    // of the clock CLOCK_REALTIME
};

// What the receiver's clock is ahead of the sender's by, in nanoseconds, as far as anybody knows.
struct ClockOffset {
    bool known = true;  // one clock, or two that were compared
    std::int64_t ns = 0;
    std::int64_t within_ns = 0;  // half of the quickest exchange of the comparison
};

// Highest octet first.
inline void write_head(const FrameHead& head, std::span<std::byte> payload) {
    std::size_t at = 0;
    const auto put = [&](std::uint64_t value, int size) {
        for (int i = size - 1; i >= 0; --i) payload[at++] = static_cast<std::byte>(value >> (8 * i));
    };
    put(FrameHead::mark, 8);
    put(head.flow, 4);
    put(head.length, 4);
    put(head.sequence, 8);
    put(static_cast<std::uint64_t>(head.sent_ns), 8);
}

// Nothing for a payload that is none of ours, or too short.
inline std::optional<FrameHead> read_head(std::span<const std::byte> payload) {
    if (payload.size() < FrameHead::octets) return std::nullopt;
    std::size_t at = 0;
    const auto get = [&](int size) {
        std::uint64_t value = 0;
        for (int i = 0; i < size; ++i) value = value << 8 | std::to_integer<std::uint64_t>(payload[at++]);
        return value;
    };
    if (get(8) != FrameHead::mark) return std::nullopt;
    FrameHead out;
    out.flow = static_cast<std::uint32_t>(get(4));
    out.length = static_cast<std::uint32_t>(get(4));
    out.sequence = get(8);
    out.sent_ns = static_cast<std::int64_t>(get(8));
    return out;
}

}  // namespace rt::lab
