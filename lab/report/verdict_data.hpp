// Verdicts for templates: the word, a class for colour, and a sign so that they do not rest on colour.
#pragma once

#include <kainjow/mustache.hpp>

#include "core/base/text.hpp"
#include "core/rules/finding.hpp"

namespace rt::lab {

inline const char* verdict_sign(Verdict verdict) {
    switch (verdict) {
        case Verdict::pass:
            return "✓";
        case Verdict::marginal:
            return "△";
        case Verdict::fail:
            return "✕";
        case Verdict::none:
            return "○";
    }
    return "";
}

inline kainjow::mustache::data verdict_data(Verdict verdict) {
    kainjow::mustache::data data;
    data.set("verdict", name(verdict));
    data.set("verdict_class", lower(name(verdict)));
    data.set("verdict_sign", verdict_sign(verdict));
    return data;
}

inline void set_counts(kainjow::mustache::data& data, const VerdictCounts& counts) {
    data.set("pass", std::to_string(counts.pass));
    data.set("marginal", std::to_string(counts.marginal));
    data.set("fail", std::to_string(counts.fail));
    data.set("none", std::to_string(counts.none));
}

}  // namespace rt::lab
