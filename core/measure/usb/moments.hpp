// Moments on the two lines of a USB port that no change of the bus state marks.
#pragma once

#include <functional>
#include <optional>

#include "core/measure/wave_source.hpp"

namespace rt {

struct UsbLines {
    const Signal& plus;
    const Signal& minus;
};

// A voltage out of D+ and D- at one moment.
using LineVoltage = std::function<double(double plus, double minus)>;

// The last moment between `from_s` and `to_s` (seconds from the begin of the signal) at which the voltage,
// averaged over `mean_s` (one sample at least), is at or above `volts`: the end of that mean. Nothing when it
// never is.
std::optional<double> last_at_or_above(const UsbLines& lines, const LineVoltage& voltage, double from_s,
                                       double to_s, double mean_s, double volts);

// The median of the voltage over that time; at most 20,000 samples of it are looked at.
double median_between(const UsbLines& lines, const LineVoltage& voltage, double from_s, double to_s);

}  // namespace rt
