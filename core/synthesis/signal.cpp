#include "core/synthesis/signal.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

std::uint64_t MadeSignal::samples() const {
    return std::visit([](const auto& one) { return one.size(); }, turn);
}

double MadeSignal::sample_rate_hz() const {
    if (const auto* wave = std::get_if<Waveform>(&turn)) return 1 / wave->step_s;
    return std::get<IqRecord>(turn).sample_rate_hz;
}

std::span<const SignalKind> signal_kinds() {
    static const std::array all{link_pattern(),        landing_composite(),   noise_band(),
                                short_range_packets(), cellular_lte_uplink(), cellular_nr_uplink()};
    return all;
}

const SignalKind& find_signal(std::string_view name) {
    std::vector<std::string> names;
    for (const auto& kind : signal_kinds()) {
        if (name == kind.name) return kind;
        names.emplace_back(kind.name);
    }
    fail_input("unknown signal " + in_quotes(name) + suggestion(name, names));
}

}  // namespace rt
