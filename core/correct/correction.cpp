#include "core/correct/correction.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

CorrectionTable::CorrectionTable(std::vector<double> frequency_hz, std::vector<double> db, Between between)
    : frequency_hz_(std::move(frequency_hz)), db_(std::move(db)), between_(between) {
    if (frequency_hz_.empty()) fail_input("the table of corrections has no rows");
    if (frequency_hz_.size() != db_.size()) {
        fail_input(fmt::format("the table of corrections has {} frequencies and {} values",
                               frequency_hz_.size(), db_.size()));
    }
    for (std::size_t i = 0; i < db_.size(); ++i) {
        if (!(frequency_hz_[i] > 0) || !std::isfinite(frequency_hz_[i]) || !std::isfinite(db_[i])) {
            fail_input("row " + std::to_string(i + 1) +
                       " of the corrections needs a frequency above 0 Hz and a number");
        }
        if (i > 0 && !(frequency_hz_[i] > frequency_hz_[i - 1])) {
            fail_input(
                "the frequencies of the corrections must rise: " + format({frequency_hz_[i], Unit::hertz}) +
                " stands after " + format({frequency_hz_[i - 1], Unit::hertz}));
        }
    }
}

double CorrectionTable::at(double hz) const {
    if (!covers(hz)) {
        fail_input("the corrections reach from " + format({from(), Unit::hertz}) + " to " +
                   format({to(), Unit::hertz}) + ", nothing is known at " + format({hz, Unit::hertz}));
    }
    const auto above = std::lower_bound(frequency_hz_.begin(), frequency_hz_.end(), hz);
    const auto i = static_cast<std::size_t>(above - frequency_hz_.begin());
    if (*above == hz) return db_[i];
    const double low = frequency_hz_[i - 1], high = frequency_hz_[i];
    const double part = between_ == Between::log_frequency ? std::log(hz / low) / std::log(high / low)
                                                           : (hz - low) / (high - low);
    return db_[i - 1] + part * (db_[i] - db_[i - 1]);
}

double PathPart::loss_db(double hz) const {
    if (!table) return constant_db;
    try {
        return constant_db + table->at(hz);
    } catch (const Error& error) {
        fail_input(in_quotes(name) + ": " + error.message());
    }
}

double SignalPath::loss_db(double hz) const {
    double sum = 0;
    for (const auto& part : parts) sum += part.loss_db(hz);
    return sum;
}

bool SignalPath::has_antenna() const {
    return std::any_of(parts.begin(), parts.end(), [](const PathPart& p) { return p.antenna; });
}

std::string SignalPath::invalid() const {
    for (const auto& part : parts) {
        if (!part.invalid.empty()) return part.invalid;
    }
    return {};
}

void correct(Spectrum& s, const SignalPath& path) {
    if (path.parts.empty()) return;
    if (path.has_antenna()) {
        if (s.unit == Unit::dbm) {
            if (!s.impedance_ohm) {
                fail_input(
                    "levels in dBm behind an antenna need the impedance of the instrument: add "
                    "impedance = \"50 ohm\" to it");
            }
            const double shift = convert({0, Unit::dbm}, Unit::dbuv, {*s.impedance_ohm, Unit::ohm})->value;
            for (double& level : s.level) level += shift;
            s.unit = Unit::dbuv;
        }
        if (s.unit != Unit::dbuv)
            fail_input(std::string("an antenna needs levels in dBuV, not ") + symbol(s.unit));
        s.unit = Unit::dbuv_per_metre;
        s.reference_level.reset();
    }
    s.correction_db.resize(s.level.size());
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        // As the kept capture states it: four decimals.
        s.correction_db[i] = std::round(path.loss_db(s.frequency_hz[i]) * 1e4) / 1e4;
        s.level[i] = std::round((s.level[i] + s.correction_db[i]) * 1e4) / 1e4;
    }
    if (s.reference_level && !s.level.empty())
        s.reference_level = *s.reference_level + s.correction_db.front();
}

}  // namespace rt
