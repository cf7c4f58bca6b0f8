#include "lab/run/soaks.hpp"

#include <algorithm>

#include "core/base/text.hpp"
#include "lab/clock.hpp"

namespace rt::lab {

// Nobody waits for a chamber that is not there: everything is simulated in no time, or recorded.
bool rehearsed(const Bench& bench) {
    const auto real = [&](const Instrument& i) {
        return !i.recorded() && !(i.simulated() && bench.simulation && bench.simulation->instant);
    };
    return std::none_of(bench.instruments.begin(), bench.instruments.end(), real);
}

std::string Soaks::wait(const Sweep& sweep, const Point& point) {
    std::string waited;
    for (std::size_t i = 0; i < sweep.axes.size(); ++i) {
        const Axis& axis = sweep.axes[i];
        if (axis.soak_s <= 0) continue;
        const std::string& value = point.value(sweep, i).text;
        if (const auto last = soaked_.find(axis.name); last != soaked_.end() && last->second.value == value)
            continue;
        soaked_.erase(axis.name);
        const bool rehearsal = rehearsed(bench_.bench());
        if (!rehearsal) wait(axis.name + " " + value, axis.soak_s);
        auto& soaked = soaked_[axis.name];
        soaked.value = value;
        for (const auto& text : axis.sets) {
            if (const auto target = setting_target(text, axis.name)) soaked.roles.insert(target->role);
        }
        waited += (waited.empty() ? "" : "; ") + axis.name + " " + value + ", " + duration_text(axis.soak_s) +
                  (rehearsal ? " (rehearsed: not waited for)" : "") + reading_of(axis);
    }
    return waited;
}

void Soaks::wait(const std::string& what, double seconds) {
    const Deadline end(seconds);
    double said = end.left() + 1;
    while (!end.passed()) {
        if (said - end.left() >= 1) {
            said = end.left();
            listener_.waiting("soaking at " + what, std::max(0.0, said));
        }
        if (const auto reply = listener_.ending(); reply != RunListener::Reply::go) throw Interruption{reply};
        clock().sleep(std::clamp(end.left(), 0.0, 0.1));
    }
}

// What the instruments that it sets read of it.
std::string Soaks::reading_of(const Axis& axis) const {
    std::string out;
    for (const auto& text : axis.sets) {
        const auto target = setting_target(text, axis.name);
        if (!target || !bench_.speaks(target->role)) continue;
        InstrumentRole& role = bench_.role(target->role);
        if (!role.session().knows("query_" + target->setting)) continue;
        out +=
            "; " + target->role + "." + target->setting + " reads " + decimal(role.query(target->setting), 6);
    }
    return out;
}

void Soaks::forget(const std::string& role) {
    std::erase_if(soaked_, [&](const auto& one) { return one.second.roles.contains(role); });
}

}  // namespace rt::lab
