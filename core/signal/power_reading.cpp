#include "core/signal/power_reading.hpp"

#include "core/quantity/quantity.hpp"

namespace rt {

std::string implausible(const PowerReading& p) {
    const double raw = p.level_dbm - p.correction_db.value_or(0);
    if (raw >= -150 && raw <= 70) return {};
    return "no power sensor reads " + format({raw, Unit::dbm});
}

}  // namespace rt
