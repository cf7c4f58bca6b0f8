#include "lab/simulate/instruments/bench.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "lab/simulate/accent.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/instruments/cellular_tester.hpp"
#include "lab/simulate/instruments/counting.hpp"
#include "lab/simulate/instruments/indicator.hpp"
#include "lab/simulate/instruments/meters.hpp"
#include "lab/simulate/instruments/module.hpp"
#include "lab/simulate/instruments/navigation.hpp"
#include "lab/simulate/instruments/probing.hpp"
#include "lab/simulate/instruments/sources.hpp"
#include "lab/simulate/instruments/traffic.hpp"
#include "lab/simulate/instruments/unit_control.hpp"

namespace rt::lab {

namespace {

using MadeInstrument = std::shared_ptr<SimulatedInstrument>;
using MadeFrom = const std::shared_ptr<Stage>&;

// How an instrument of a kind is simulated. Every kind of lab/model/role_kinds.cpp has a row.
struct SimulatedKind {
    const char* name;
    MadeInstrument (*make)(MadeFrom stage, const Instrument& instrument);
};

template <typename Type>
MadeInstrument make_analyser(MadeFrom stage, const Instrument& i) {
    SimulatedAnalyser::Options options{i.connected_to, i.role};
    if (i.scan_bandwidth_hz) options.scan_bandwidth_hz = *i.scan_bandwidth_hz;
    return std::make_shared<Type>(stage, options);
}

// Sources are known by their role, meters by the port that they are connected to.
template <typename Type>
MadeInstrument make_source(MadeFrom stage, const Instrument& i) {
    return std::make_shared<Type>(stage, i.role);
}
template <typename Type>
MadeInstrument make_meter(MadeFrom stage, const Instrument& i) {
    return std::make_shared<Type>(stage, i.connected_to);
}

constexpr SimulatedKind simulated_kinds[] = {
    {"analyser", make_analyser<SimulatedAnalyser>},
    {"cellular-tester", make_analyser<SimulatedCellularTester>},
    {"generator", make_source<SimulatedGenerator>},
    {"attenuator", make_source<SimulatedAttenuator>},
    {"supply", make_source<SimulatedSupply>},
    {"navigation-generator", make_source<SimulatedNavigationGenerator>},
    {"waveform-generator", make_source<SimulatedWaveformGenerator>},
    {"switch", make_source<SimulatedSwitch>},
    {"positioner", make_source<SimulatedPositioner>},
    {"power-meter",
     [](MadeFrom stage, const Instrument& i) -> MadeInstrument {
         return std::make_shared<SimulatedPowerMeter>(stage, i.role, i.connected_to);
     }},
    {"source-measure", make_source<SimulatedSourceMeasure>},
    {"wafer-stage", make_source<SimulatedWaferStage>},
    {"counter",
     [](MadeFrom stage, const Instrument& i) -> MadeInstrument {
         return std::make_shared<SimulatedCounter>(stage, i.role, i.connected_to);
     }},
    {"traffic", make_meter<SimulatedTraffic>},
    {"module", make_meter<SimulatedModule>},
    {"indicator", make_meter<SimulatedIndicator>},
    {"oscilloscope",
     [](MadeFrom stage, const Instrument& i) -> MadeInstrument {
         return std::make_shared<SimulatedOscilloscope>(stage, i.role, i.connected_to);
     }},
    {"network-analyser",
     [](MadeFrom stage, const Instrument& i) -> MadeInstrument {
         return std::make_shared<SimulatedNetworkAnalyser>(stage, i.role, i.connected_to);
     }},
    {"unit",
     [](MadeFrom stage, const Instrument&) -> MadeInstrument {
         return std::make_shared<SimulatedUnitControl>(stage);
     }},
};

}  // namespace

std::vector<std::string> simulated_kind_names() {
    std::vector<std::string> out;
    for (const auto& kind : simulated_kinds) out.emplace_back(kind.name);
    return out;
}

std::shared_ptr<SimulatedInstrument> make_simulated(std::shared_ptr<Stage> stage,
                                                    const Instrument& instrument) {
    const std::string name = instrument.dialect.kind->name;
    for (const auto& kind : simulated_kinds) {
        if (name == kind.name) return kind.make(stage, instrument);
    }
    fail_input(instrument.where, "nothing simulates an instrument of kind " + name + ": give the " +
                                     instrument.role + " an address");
}

Stage& SimulatedBench::stage() {
    if (!stage_) {
        const Simulation& simulation = *bench_.simulation;
        Stage::Options options{simulation.seed, simulation.instant, false};
        options.supplied = std::any_of(bench_.instruments.begin(), bench_.instruments.end(),
                                       [](const auto& i) { return i.simulated() && i.feeds(); });
        stage_ = std::make_shared<Stage>(std::make_shared<SimulatedUnit>(simulation.unit), options);
    }
    return *stage_;
}

Address SimulatedBench::place_of(const Instrument& instrument) {
    if (instrument.place.kind == Address::Kind::here) return serve_here(instrument).place();
    return instrument.simulated() ? serve(instrument).place() : instrument.place;
}

const InstrumentServer& SimulatedBench::serve_here(const Instrument& instrument) {
    auto& server = servers_[instrument.role];
    if (server) return *server;
    const std::string_view kind = instrument.dialect.kind->name;
    if (kind == "module") {
        if (!instrument.connected_to.starts_with("/dev/"))
            fail_input(instrument.where, "the " + instrument.role +
                                             " needs the bus of its module: connected_to = \"/dev/i2c-1\"");
        server = std::make_unique<InstrumentServer>(std::make_shared<ModuleAgent>(instrument.connected_to));
        return *server;
    }
    if (kind == "counter" && !instrument.program.empty()) {
        server = std::make_unique<InstrumentServer>(
            std::make_shared<CountingAgent>(instrument.program, instrument.timeout_s / 2));
        return *server;
    }
    if (kind != "traffic")
        fail_input(instrument.where,
                   "the program itself is traffic, a module's reader, or a counter with a program of yours: "
                   "give the " +
                       instrument.role + (kind == "counter" ? " a program" : " an address of its own"));
    server = std::make_unique<InstrumentServer>(std::make_shared<TrafficAgent>());
    return *server;
}

const InstrumentServer& SimulatedBench::serve(const Instrument& instrument, unsigned short port,
                                              const std::string& listen) {
    auto& server = servers_[instrument.role];
    if (server) return *server;
    stage();
    std::vector<PlannedFault> faults;
    for (const auto& fault : bench_.simulation->faults) {
        if (fault.role == instrument.role) faults.push_back(fault);
    }
    auto made = make_simulated(stage_, instrument);
    std::vector<Accent> accents;
    for (const auto& accent : bench_.simulation->accents) {
        if (accent.role == instrument.role) accents.push_back(accent);
    }
    if (!accents.empty()) made = std::make_shared<AccentedInstrument>(std::move(made), std::move(accents));
    server = std::make_unique<InstrumentServer>(std::move(made), port, transport_of(instrument.place.name),
                                                std::move(faults), listen);
    return *server;
}

}  // namespace rt::lab
