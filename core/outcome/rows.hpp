// Tables of procedures (parameters, products), put together from rows that several of them share.
#pragma once

#include <array>
#include <cstddef>

#include "core/outcome/parameters.hpp"

namespace rt {

// Groups of rows one after another, in the order given.
template <typename Row, std::size_t... Sizes>
constexpr auto joined(const std::array<Row, Sizes>&... groups) {
    std::array<Row, (Sizes + ...)> out{};
    std::size_t next = 0;
    const auto append = [&](const auto& group) {
        for (const auto& row : group) out[next++] = row;
    };
    (append(groups), ...);
    return out;
}

}  // namespace rt
