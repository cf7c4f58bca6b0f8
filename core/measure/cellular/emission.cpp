#include "core/measure/cellular/emission.hpp"
#include "core/measure/spectrum/band.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace rt::cellular {
namespace {

// Limits of the error vector magnitude, in percent.
double evm_limit(Modulation modulation) {
    switch (modulation) {
        case Modulation::bpsk:
            return 30;
        case Modulation::qpsk:
            return 17.5;
        case Modulation::qam16:
            return 12.5;
        case Modulation::qam64:
            return 8;
        case Modulation::qam256:
            return 3.5;
    }
    return 3.5;
}

struct Limits {
    double image_db, carrier_dbc;
};
// By the power at the antenna port; without one the strictest.
Limits limits_of(const UplinkFormat& format, std::optional<double> power_dbm) {
    const double power = power_dbm.value_or(23);
    const bool high = !format.lte() && power > 10;
    return {high ? -28.0 : -25.0, high ? -28.0 : power > 0 ? -25.0 : power >= -30 ? -20.0 : -10.0};
}

}  // namespace

void add_emission(const Uplink& uplink, const UplinkFormat& format, std::optional<double> reference_level_dbm,
                  Outcome& outcome) {
    if (format.blocks == format.carrier_blocks) {
        outcome.lacking["emission_excess"] = "all blocks of the channel are allocated";
        return;
    }
    std::vector<double> blocks(format.carrier_blocks);
    for (const auto& slot : uplink.slots)
        for (std::size_t b = 0; b < blocks.size(); ++b)
            blocks[b] += slot.quality.blocks[b] / static_cast<double>(uplink.slots.size());
    double mean = 0;
    for (std::size_t b = 0; b < format.blocks; ++b) mean += blocks[format.first_block + b];
    mean /= static_cast<double>(format.blocks);
    std::optional<double> block_dbm, power_dbm;
    if (reference_level_dbm) {
        block_dbm = to_db(12 * mean) + *reference_level_dbm;
        power_dbm = *block_dbm + to_db(static_cast<double>(format.blocks));
    }
    const Limits limits = limits_of(format, power_dbm);
    const auto all = static_cast<double>(format.carrier_blocks), own = static_cast<double>(format.blocks);
    const double floor = -25 - 10 * std::log10(all / own);
    Trace seen, limit;
    seen.name = "emission_blocks", seen.title = "In-band emission", seen.y_unit = Unit::db;
    seen.x_unit = Unit::none, seen.x_title = "Block", seen.spots = true;
    Trace::Companion line{"Limit", {}};
    double worst = -std::numeric_limits<double>::infinity();
    for (std::size_t b = 0; b < blocks.size(); ++b) {
        const std::size_t last = format.first_block + format.blocks - 1;
        if (b >= format.first_block && b <= last) continue;
        const double away = static_cast<double>(b < format.first_block ? format.first_block - b : b - last);
        double allowed =
            std::max(floor, 20 * std::log10(evm_limit(format.modulation) / 100) - 3 - 5 * (away - 1) / own);
        if (block_dbm)
            allowed = std::max(allowed, -57 + 10 * std::log10(format.spacing_hz / 15e3) - *block_dbm);
        const std::size_t mirror = blocks.size() - 1 - b;
        if (mirror >= format.first_block && mirror <= last) allowed = std::max(allowed, limits.image_db);
        // The carrier lies within the middle block, or between two.
        if (2 * b + 1 == blocks.size() || 2 * b == blocks.size() || 2 * b + 2 == blocks.size())
            allowed = std::max(allowed, limits.carrier_dbc + to_db(own));
        const double emission = to_db(blocks[b] / mean);
        seen.x.push_back(static_cast<double>(b)), seen.y.push_back(emission), line.y.push_back(allowed);
        worst = std::max(worst, emission - allowed);
    }
    seen.companions.push_back(std::move(line));
    seen.shows = "emission_excess";
    outcome.traces.push_back(std::move(seen));
    outcome.add("emission_excess", worst, Unit::db);
}

}  // namespace rt::cellular
