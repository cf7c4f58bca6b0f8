#include "lab/simulate/bench.hpp"

namespace rt {

const InstrumentServer& SimulatedBench::serve(const Instrument& instrument, unsigned short port) {
    const Simulation& simulation = *bench_.simulation;
    if (!unit_) unit_ = std::make_shared<SimulatedUnit>(simulation.unit);
    std::shared_ptr<SimulatedInstrument> simulated;
    if (instrument.role == "unit") {
        simulated = std::make_shared<SimulatedUnitControl>(unit_);
    } else {
        SimulatedAnalyser::Options options;
        options.port = instrument.connected_to;
        options.seed = simulation.seed;
        options.instant = simulation.instant;
        if (instrument.scan_bandwidth_hz) options.scan_bandwidth_hz = *instrument.scan_bandwidth_hz;
        simulated = std::make_shared<SimulatedAnalyser>(unit_, options);
    }
    servers_.push_back(std::make_unique<InstrumentServer>(std::move(simulated), port));
    return *servers_.back();
}

}  // namespace rt
