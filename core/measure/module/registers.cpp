// module.registers: what a pluggable module says of itself, against limits of its own.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/module/management.hpp"
#include "core/measure/procedure.hpp"

namespace rt {
namespace {

using namespace management;

constexpr std::array registers_parameters{
    ParameterInfo{"lanes", ParameterKind::text, Unit::none, "",
                  "the lanes that count, such as \"1 2\"; all of the module without it"},
    ParameterInfo{"reads", ParameterKind::whole_number, Unit::none, "1",
                  "how often its identification is read over the bus, to try that"},
    ParameterInfo{"serial", ParameterKind::text, Unit::none, "",
                  "serial number that the module must state; any without it"},
};

constexpr std::array registers_products{
    Product{"bus_reads", Unit::count, "how often its identification was read to try the bus"},
    Product{"bus_errors", Unit::count, "of these those that nobody acknowledged, and bytes that differed"},
    Product{"lanes", Unit::count, "lanes that count"},
    Product{"checksum_errors", Unit::count, "checksums that are wrong"},
    Product{"alarms", Unit::count, "monitors strictly beyond their alarm limits"},
    Product{"warnings", Unit::count, "monitors beyond their warning limits, but no alarm limit"},
    Product{"latched_alarms", Unit::count, "alarm flags that are set, now or since they were last read"},
    Product{"latched_warnings", Unit::count, "warning flags that are set"},
    Product{"faults", Unit::count, "flags of faults, lost signals and lost locks"},
    Product{"temperature", Unit::celsius, "of the module"},
    Product{"supply", Unit::volt, "voltage at the module"},
    Product{"bias_lowest", Unit::ampere, "laser bias, the lane with the least"},
    Product{"bias_highest", Unit::ampere, "the lane with the most"},
    Product{"tx_power_lowest", Unit::dbm, "transmitted, the weakest lane"},
    Product{"tx_power_highest", Unit::dbm, "the strongest lane"},
    Product{"rx_power_lowest", Unit::dbm, "received, the weakest lane"},
    Product{"rx_power_highest", Unit::dbm, "the strongest lane"},
    Product{"temperature_to_alarm", Unit::celsius, "from the temperature to the nearer of its alarm limits"},
    Product{"temperature_to_warning", Unit::celsius, "the same to its warning limits"},
    Product{"supply_to_alarm", Unit::volt, "from the supply to the nearer of its alarm limits"},
    Product{"supply_to_warning", Unit::volt, "the same to its warning limits"},
    Product{"bias_to_alarm", Unit::ampere, "the lane nearest an alarm limit of bias"},
    Product{"bias_to_warning", Unit::ampere, "the lane nearest a warning limit"},
    Product{"tx_power_to_alarm", Unit::db, "the lane nearest an alarm limit of transmitted power"},
    Product{"tx_power_to_warning", Unit::db, "the lane nearest a warning limit"},
    Product{"tx_power_low_alarm", Unit::dbm, "the alarm limits of transmitted power that the module states"},
    Product{"tx_power_high_alarm", Unit::dbm, "the higher of both"},
    Product{"rx_power_low_alarm", Unit::dbm, "those of received power"},
    Product{"rx_power_high_alarm", Unit::dbm, "the higher of both"},
    Product{"rx_power_to_alarm", Unit::db, "the lane nearest an alarm limit of received power"},
    Product{"rx_power_to_warning", Unit::db, "the lane nearest a warning limit"},
};

bool is_power(Measured measured) {
    return measured == Measured::tx_power || measured == Measured::rx_power;
}

// A power of 0 is less than half a step of 0.1 uW.
constexpr double least_w = 0.05e-6;
double dbm(double watts) {
    return 10 * std::log10(std::max(watts, least_w) / 1e-3);
}

// How far inside limits a value is, in dB for powers; infinite where there is no limit.
double inside(double value, double low, double high, bool power) {
    const double far = std::numeric_limits<double>::infinity();
    if (!power) return std::min(high - value, value - low);
    const double below = dbm(high) - dbm(value);
    return low > 0 ? std::min(below, dbm(value) - dbm(low)) : std::min(below, far);
}

const char* words(State state) {
    constexpr std::array names{"normal", "low warning", "high warning", "low alarm", "high alarm"};
    return names[static_cast<std::size_t>(state)];
}

std::string shown(double value, Measured measured) {
    if (!is_power(measured)) return format({value, unit_of(measured)}, 6);
    return value < least_w ? "no power" : format({dbm(value), Unit::dbm}, 4);
}

std::set<int> lanes_of(const Parameters& p, int all) {
    std::set<int> out;
    const std::string text = p.text("lanes");
    if (text.empty()) {
        for (int lane = 1; lane <= all; ++lane) out.insert(lane);
        return out;
    }
    for (const auto word : split(text, ' ')) {
        if (trim(word).empty()) continue;
        const auto lane = to_double(trim(word));
        if (!lane || *lane != std::floor(*lane) || *lane < 1 || *lane > all)
            fail_input(fmt::format("parameter lanes: {} is none of the lanes 1 to {}",
                                   in_quotes(std::string(word)), all));
        out.insert(static_cast<int>(*lane));
    }
    return out;
}

void lack(Outcome& outcome, const std::string& result, const std::string& why) {
    outcome.lacking.emplace(result, why);
}

// Extremes over the lanes that count, and how near they come to limits.
void add_monitors(Measured measured, const Module& module, const std::set<int>& lanes, Outcome& outcome) {
    const std::string base = name(measured);
    const bool whole = measured == Measured::temperature || measured == Measured::supply;
    std::vector<const Monitor*> own;
    for (const auto& monitor : module.monitors)
        if (monitor.measured == measured && (monitor.lane == 0 || lanes.contains(monitor.lane)))
            own.push_back(&monitor);
    const auto absent = module.no_value.find(measured);
    if (own.empty() || absent != module.no_value.end()) {
        const std::string why =
            absent != module.no_value.end() ? absent->second : "the module has no such lane";
        for (const auto& product : registers_products) {
            const std::string_view of = product.name;
            if (of == base || of.starts_with(base + "_")) lack(outcome, product.name, base + ": " + why);
        }
        return;
    }
    const auto [least, most] = std::minmax_element(
        own.begin(), own.end(), [](const Monitor* a, const Monitor* b) { return a->value < b->value; });
    const auto add = [&](const char* name, double value) {
        const bool power = is_power(measured), nothing = power && value < least_w;
        outcome.add(name, power ? dbm(value) : value, power ? Unit::dbm : unit_of(measured),
                    nothing ? Known::at_most : Known::exactly);
    };
    const auto product = [&](const std::string& name) {
        return std::find_if(registers_products.begin(), registers_products.end(),
                            [&](const Product& p) { return p.name == name; })
            ->name;
    };
    if (whole) {
        add(product(base), (*least)->value);
    } else {
        add(product(base + "_lowest"), (*least)->value);
        add(product(base + "_highest"), (*most)->value);
    }
    if (const auto why = module.no_limits.find(measured); why != module.no_limits.end()) {
        for (const char* to : {"_to_alarm", "_to_warning"})
            lack(outcome, base + to, base + ": " + why->second);
        if (is_power(measured)) {
            for (const char* end : {"_low_alarm", "_high_alarm"})
                lack(outcome, base + end, base + ": " + why->second);
        }
        return;
    }
    double alarm = std::numeric_limits<double>::infinity(), warning = alarm;
    bool nothing = false;
    for (const auto* monitor : own) {
        const Four& four = *monitor->limits;
        const bool power = is_power(measured);
        nothing = nothing || (power && monitor->value < least_w);
        alarm = std::min(alarm, inside(monitor->value, four.low_alarm, four.high_alarm, power));
        warning = std::min(warning, inside(monitor->value, four.low_warning, four.high_warning, power));
    }
    const Unit unit = is_power(measured) ? Unit::db : unit_of(measured);
    const Known known = nothing ? Known::at_most : Known::exactly;
    outcome.add(product(base + "_to_alarm"), alarm, unit, known);
    outcome.add(product(base + "_to_warning"), warning, unit, known);
    // Of powers the limits themselves: a meter at the fibre is held against them.
    if (!is_power(measured)) return;
    const Four& four = *own.front()->limits;
    outcome.add(product(base + "_low_alarm"), dbm(four.low_alarm), Unit::dbm);
    outcome.add(product(base + "_high_alarm"), dbm(four.high_alarm), Unit::dbm);
}

Table monitor_table(const Module& module, const std::set<int>& lanes) {
    Table out{"monitors",
              "Monitors and their limits",
              {{"quantity"},
               {"lane"},
               {"value"},
               {"low alarm"},
               {"low warning"},
               {"high warning"},
               {"high alarm"},
               {"state"},
               {"flags"}},
              {}};
    for (const auto& m : module.monitors) {
        std::string name = management::name(m.measured), flags;
        std::replace(name.begin(), name.end(), '_', ' ');
        for (const auto state : m.latched) flags += (flags.empty() ? "" : ", ") + std::string(words(state));
        const auto limit = [&](double Four::*which) {
            return Table::Cell(m.limits ? shown((*m.limits).*which, m.measured) : std::string());
        };
        const bool counts = m.lane == 0 || lanes.contains(m.lane);
        out.rows.push_back({name, m.lane == 0 ? std::string() : std::to_string(m.lane),
                            shown(m.value, m.measured), limit(&Four::low_alarm), limit(&Four::low_warning),
                            limit(&Four::high_warning), limit(&Four::high_alarm),
                            std::string(!counts    ? "not counted"
                                        : m.limits ? words(state_of(m.value, *m.limits))
                                                   : "no limits"),
                            flags});
    }
    return out;
}

void add_counts(const Module& module, const std::set<int>& lanes, Outcome& outcome) {
    const Totals totals = totals_of(module, &lanes);
    const auto add = [&](const char* name, std::size_t number, bool complete) {
        outcome.add(name, static_cast<double>(number), Unit::count,
                    complete ? Known::exactly : Known::at_least);
    };
    const bool values = module.no_value.empty(), limits = module.no_limits.empty();
    add("alarms", totals.alarms, values && limits);
    add("warnings", totals.warnings, values && limits);
    add("latched_alarms", totals.latched_alarms, values);
    add("latched_warnings", totals.latched_warnings, values);
    add("faults", totals.faults, values);
    for (const auto* why : {&module.no_value, &module.no_limits})
        for (const auto& [measured, text] : *why)
            outcome.notes.push_back(std::string(name(measured)) + ": " + text);
}

Outcome measure_registers(Capture any, const Parameters& p) {
    const auto registers = take<Registers>(std::move(any), "module.registers");
    const Module module = read_module(registers);
    const auto lanes = lanes_of(p, module.lanes);
    Outcome outcome;
    Table identity{"identity", "The module says of itself", {{"what"}, {"value"}}, {}};
    identity.rows.push_back({std::string("form"), module.form});
    std::string serial;
    for (const auto& [what, value] : module.identity) {
        identity.rows.push_back({what, value});
        if (what == "serial") serial = value;
    }
    outcome.tables.push_back(std::move(identity));
    outcome.tables.push_back(monitor_table(module, lanes));
    if (const std::string wanted = p.text("serial"); !wanted.empty() && wanted != serial) {
        outcome.invalid = "another module: its serial number is " +
                          (serial.empty() ? std::string("not stated") : in_quotes(serial)) + ", not " +
                          in_quotes(wanted);
        return outcome;
    }
    outcome.add("lanes", static_cast<double>(lanes.size()), Unit::count);
    if (registers.reads > 0) {
        outcome.add("bus_reads", static_cast<double>(registers.reads), Unit::count);
        outcome.add("bus_errors", static_cast<double>(registers.failed_reads + registers.differing_bytes),
                    Unit::count);
    } else {
        for (const char* name : {"bus_reads", "bus_errors"})
            lack(outcome, name, "nobody has tried the bus: the registers come from a file");
    }
    std::size_t wrong = 0;
    for (const auto& sum : module.checksums) {
        if (sum.right()) continue;
        ++wrong;
        outcome.notes.push_back(fmt::format("checksum of {} is wrong: {} says {:02X}h, the sum is {:02X}h",
                                            sum.area, sum.place, sum.stated, sum.found));
    }
    // What is not known may be wrong as well.
    if (wrong > 0 || module.no_checksums.empty())
        outcome.add("checksum_errors", static_cast<double>(wrong), Unit::count,
                    module.no_checksums.empty() ? Known::exactly : Known::at_least);
    else
        lack(outcome, "checksum_errors", module.no_checksums);
    add_counts(module, lanes, outcome);
    for (const auto measured : all_measured) add_monitors(measured, module, lanes, outcome);
    if (!module.faults.empty()) {
        Table table{"faults", "Faults and lost signals", {{"what"}, {"lane"}}, {}};
        for (const auto& flag : module.faults)
            table.rows.push_back({flag.what, flag.lane == 0 ? std::string() : std::to_string(flag.lane)});
        outcome.tables.push_back(std::move(table));
    }
    for (const auto& remark : module.remarks) outcome.notes.push_back(remark);
    return outcome;
}

}  // namespace

// Identity, checksums, monitors against the limits that the module states itself, flags, of SFF-8472,
// SFF-8636 and CMIS 4 and 5. Tables `identity`, `monitors`, `faults`.
Procedure module_registers() {
    return {"module.registers",
            "Registers of a pluggable module",
            "Reads the management registers of SFP (SFF-8472), QSFP (SFF-8636) and CMIS 4 and 5: checksums, "
            "monitors "
            "with internal or external calibration, flags. Limits are the module's own: beyond is strictly "
            "above a "
            "high or below a low one, an alarm outranks a warning. What a wrong checksum covers, or the "
            "registers do "
            "not hold, gives no value and no limit.",
            registers_parameters,
            {},
            registers_products,
            [](const Parameters& p) -> CaptureSetup {
                return RegistersSetup{static_cast<std::size_t>(p.required("reads"))};
            },
            measure_registers,
            preset_named};
}

}  // namespace rt
