// A rule of nothing but what it judges and its limit.
#pragma once

#include "core/rules/rule.hpp"

inline rt::Rule made_rule(const char* applies_to, rt::Unit unit,
                          std::variant<rt::LimitLine, rt::Mask, rt::Bound> limit) {
    return {.id = "r",
            .title = "",
            .clause = "",
            .quantity = "",
            .applies_to = applies_to,
            .unit = unit,
            .limit = std::move(limit),
            .detector = {},
            .bandwidth = {},
            .conditions = {},
            .presets = {},
            .marginal = {},
            .cover_to = {},
            .basis = "",
            .note = "",
            .sign_off = {}};
}
