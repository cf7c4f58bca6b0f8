#include "lab/run/instruments.hpp"

#include "lab/bench/address.hpp"

namespace rt {

BenchConnection::BenchConnection(const Plan& plan, TrafficLog* traffic)
    : bench_(*plan.bench), traffic_(traffic), simulated_(*plan.bench) {
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
    if (instrument.simulated()) {
        const InstrumentServer& server = simulated_.serve(instrument);
        return {instrument, server.host(), server.port(), traffic_};
    }
    const Endpoint endpoint = endpoint_of(instrument.address);
    return {instrument, endpoint.host, endpoint.port, traffic_};
}

void BenchConnection::note(const Instrument& i, const std::string& identity) {
    identified_.push_back({i.role, i.name, i.serial, identity, i.calibration_due, i.connected_to, i.address});
}

}  // namespace rt
