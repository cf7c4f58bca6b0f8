#include "lab/simulate/instruments/bench.hpp"

#include <algorithm>

#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/instruments/meters.hpp"
#include "lab/simulate/instruments/sources.hpp"
#include "lab/simulate/instruments/unit_control.hpp"

namespace rt::lab {

std::shared_ptr<SimulatedInstrument> make_simulated(std::shared_ptr<Stage> stage,
                                                    const Instrument& instrument) {
    const std::string kind = instrument.dialect.kind->name;
    const std::string &role = instrument.role, &port = instrument.connected_to;
    if (kind == "unit") return std::make_shared<SimulatedUnitControl>(stage);
    if (kind == "generator") return std::make_shared<SimulatedGenerator>(stage, role);
    if (kind == "attenuator") return std::make_shared<SimulatedAttenuator>(stage, role);
    if (kind == "supply") return std::make_shared<SimulatedSupply>(stage, role);
    if (kind == "positioner") return std::make_shared<SimulatedPositioner>(stage, role);
    if (kind == "power-meter") return std::make_shared<SimulatedPowerMeter>(stage, role, port);
    if (kind == "counter") return std::make_shared<SimulatedCounter>(stage, port);
    if (kind == "oscilloscope") return std::make_shared<SimulatedOscilloscope>(stage, port);
    if (kind == "network-analyser") return std::make_shared<SimulatedNetworkAnalyser>(stage, port);
    SimulatedAnalyser::Options options{port, role};
    if (instrument.scan_bandwidth_hz) options.scan_bandwidth_hz = *instrument.scan_bandwidth_hz;
    return std::make_shared<SimulatedAnalyser>(stage, options);
}

Stage& SimulatedBench::stage() {
    if (!stage_) {
        const Simulation& simulation = *bench_.simulation;
        Stage::Options options{simulation.seed, simulation.instant, false};
        options.supplied = std::any_of(bench_.instruments.begin(), bench_.instruments.end(),
                                       [](const auto& i) { return i.simulated() && i.is("supply"); });
        stage_ = std::make_shared<Stage>(std::make_shared<SimulatedUnit>(simulation.unit), options);
    }
    return *stage_;
}

std::string SimulatedBench::address_of(const Instrument& instrument) {
    return instrument.simulated() ? serve(instrument).address() : instrument.address;
}

const InstrumentServer& SimulatedBench::serve(const Instrument& instrument, unsigned short port) {
    auto& server = servers_[instrument.role];
    if (server) return *server;
    stage();
    std::vector<PlannedFault> faults;
    for (const auto& fault : bench_.simulation->faults) {
        if (fault.role == instrument.role) faults.push_back(fault);
    }
    server = std::make_unique<InstrumentServer>(
        make_simulated(stage_, instrument), port,
        instrument.place.name == "hislip" ? Transport::hislip : Transport::tcp, std::move(faults));
    return *server;
}

}  // namespace rt::lab
