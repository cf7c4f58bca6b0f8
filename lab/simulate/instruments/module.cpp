#include "lab/simulate/instruments/module.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/formats/registers_file.hpp"

namespace rt::lab {

void ModuleInstrument::forget() {
    times_ = 1;
    read_.reset();
    failed_.clear();
}

void ModuleInstrument::add_to(ScpiTree& tree) {
    tree.on(
        "MODule:REPeat",
        [this](const ScpiArguments& a) {
            times_ = std::round(scpi_number(only_argument(a), ScpiUnit::plain, {0, 10000, 1}));
        },
        [this](const auto&) { return exact(times_); });
    // What goes wrong is told where the registers are asked for: "*OPC?" behind this must answer.
    tree.on_command("INITiate:[IMMediate]", [this](const auto&) {
        read_.reset();
        failed_.clear();
        try {
            read_ = read(static_cast<std::size_t>(times_));
        } catch (const Error& error) {
            failed_ = error.message();
        }
    });
    tree.on_query("FETCh:MODule", [this](const auto&) {
        if (!failed_.empty()) return block_of(std::string(registers_failed) + failed_ + "\n");
        if (!read_) throw ScpiError{-230, "Data corrupt or stale"};
        return block_of(registers_csv(*read_));
    });
    using management::Measured;
    for (const auto& [word, measured] :
         {std::pair("TEMPerature", Measured::temperature), {"SUPPly", Measured::supply}})
        tree.on_query(std::string("MONitor:") + word,
                      [this, measured](const auto&) { return monitored(measured); });
    using Counted = std::size_t management::Totals::*;
    for (const auto& [word, counted] :
         {std::pair<const char*, Counted>("ALARms", &management::Totals::alarms),
          {"WARNings", &management::Totals::warnings},
          {"FAULts", &management::Totals::faults}})
        tree.on_query(std::string("MONitor:") + word,
                      [this, counted](const auto&) { return number_of(counted); });
}

// Read anew. SCPI's word for a number that there is not: who asks it takes that for none.
constexpr const char* not_a_number = "9.91E37";

std::string ModuleInstrument::monitored(management::Measured measured) {
    try {
        const auto module = management::read_module(read(1));
        for (const auto& monitor : module.monitors)
            if (monitor.measured == measured && !module.no_value.contains(measured))
                return exact(monitor.value);
    } catch (const Error&) {
        // As if it had none.
    }
    return not_a_number;
}

std::string ModuleInstrument::number_of(std::size_t management::Totals::*counted) {
    try {
        const auto totals = management::totals_of(management::read_module(read(1)));
        const bool known = counted == &management::Totals::faults || totals.limited > 0;
        if (known) return std::to_string(totals.*counted);
    } catch (const Error&) {
        // As if it had none.
    }
    return not_a_number;
}

ModuleAgent::ModuleAgent(std::string path) : path_(std::move(path)) {
    add_common_commands(tree_, "Rare Tally,module,here,1.0", [this] { forget(); });
    add_to(tree_);
}

Registers ModuleAgent::read(std::size_t times) {
    return read_registers(*open_i2c_bus(path_), times);
}

SimulatedModule::SimulatedModule(std::shared_ptr<Stage> stage, std::string port)
    : ScpiInstrument(std::move(stage), "module", port), port_(std::move(port)) {
    add_to(tree_);
}

Registers SimulatedModule::read(std::size_t times) {
    auto registers = stage_->module_registers(port_);
    if (!registers) fail_bench("A0h, byte 0 is not acknowledged: no module, or it has no supply");
    // Where each form has its temperature, in steps of 1/256 degC.
    const int identifier = registers->at(0, 0, 0).value_or(0);
    const int device = identifier == 0x03 ? 1 : 0;
    const int place = identifier == 0x03                                               ? 96
                      : identifier == 0x18 || identifier == 0x19 || identifier == 0x1E ? 14
                                                                                       : 22;
    const auto raw =
        static_cast<int>(std::lround(std::clamp(stage_->temperature(), -127.0, 127.0) * 256)) & 0xFFFF;
    registers->set(device, 0, place, static_cast<std::uint8_t>(raw >> 8));
    registers->set(device, 0, place + 1, static_cast<std::uint8_t>(raw & 255));
    RecordedModule bus(std::move(*registers));
    return read_registers(bus, times);
}

}  // namespace rt::lab
