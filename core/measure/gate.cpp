#include "core/measure/gate.hpp"

#include <algorithm>

#include "core/base/error.hpp"

namespace rt {

std::vector<Gate> gates_of(const IqRecord& record, const Parameters& p, double needed_s) {
    std::vector<Gate> out;
    if (p.text("gate") != "bursts") return out;
    const double delay = p.required("gate_delay");
    const auto length = p.number("gate_length");
    if (delay < 0) fail_input("parameter gate_delay: must not be below 0 s");
    if (length && *length <= 0) fail_input("parameter gate_length: must be above 0 s");
    const BurstList list = bursts_of(record, p);
    double longest = 0;
    for (const Burst& burst : list.bursts) {
        Gate gate{burst.start_s + delay, burst.stop_s};
        if (length) gate.to_s = std::min(gate.to_s, gate.from_s + *length);
        if (gate.to_s <= gate.from_s) continue;
        longest = std::max(longest, gate.to_s - gate.from_s);
        if (gate.to_s - gate.from_s >= needed_s) out.push_back(gate);
    }
    if (list.bursts.empty()) fail_signal("gate: " + no_burst(record, list));
    if (out.empty()) {
        fail_signal("gate: the longest part of a burst to use is " + format({longest, Unit::second}) +
                    ", the analysis needs " + format({needed_s, Unit::second}) +
                    ": choose a wider bandwidth");
    }
    return out;
}

}  // namespace rt
