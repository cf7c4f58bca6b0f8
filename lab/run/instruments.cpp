#include "lab/run/instruments.hpp"

#include "core/base/error.hpp"

namespace rt {

BenchConnection::BenchConnection(const Plan& plan, TrafficLog* traffic)
    : bench_(*plan.bench), traffic_(traffic) {
    for (const auto& test : plan.tests) {
        const Instrument& instrument = *test.instrument;
        if (analysers_.contains(instrument.role)) continue;
        const auto at = analysers_.emplace(instrument.role, AnalyserRole(connect(instrument))).first;
        note(instrument, at->second.identify());
    }
    if (const Instrument* instrument = bench_.find("unit")) {
        unit_.emplace(connect(*instrument));
        note(*instrument, unit_->identify());
    }
}

ScpiSession BenchConnection::connect(const Instrument& instrument) {
    if (!instrument.simulated()) {
        const std::string address = instrument.address.substr(6);  // after "tcp://"
        const auto colon = address.rfind(':');
        return {instrument, address.substr(0, colon), address.substr(colon + 1), traffic_};
    }
    const Simulation& simulation = *bench_.simulation;
    if (!world_) world_ = std::make_shared<SimulatedUnit>(simulation.unit);
    std::shared_ptr<SimulatedInstrument> simulated;
    if (instrument.role == "unit") {
        simulated = std::make_shared<SimulatedUnitControl>(world_);
    } else {
        SimulatedAnalyser::Options options;
        options.port = instrument.connected_to;
        options.seed = simulation.seed;
        options.instant = simulation.instant;
        if (instrument.scan_bandwidth_hz) options.scan_bandwidth_hz = *instrument.scan_bandwidth_hz;
        simulated = std::make_shared<SimulatedAnalyser>(world_, options);
    }
    servers_.emplace_back(std::move(simulated));
    return {instrument, servers_.back().host(), servers_.back().port(), traffic_};
}

void BenchConnection::note(const Instrument& i, const std::string& identity) {
    identified_.push_back({i.role, i.name, i.serial, identity, i.calibration_due, i.connected_to, i.address});
}

}  // namespace rt
