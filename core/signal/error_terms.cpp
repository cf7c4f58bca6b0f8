#include "core/signal/error_terms.hpp"

#include <cmath>

namespace rt {

const std::array<const char*, term_count> term_names{"EDF", "ESF", "ERF", "ELF", "ETF", "EXF",
                                                     "EDR", "ESR", "ERR", "ELR", "ETR", "EXR"};

std::string implausible(const ErrorTerms& terms) {
    for (const auto& values : terms.values) {
        for (const auto& value : values) {
            if (!std::isfinite(std::abs(value))) return "an error term is no number";
        }
    }
    return {};
}

}  // namespace rt
