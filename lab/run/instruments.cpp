#include "lab/run/instruments.hpp"

#include "core/base/error.hpp"

namespace rt::lab {

BenchConnection::BenchConnection(const Plan& plan, TrafficLog* traffic)
    : bench_(*plan.bench), traffic_(traffic), simulated_(*plan.bench) {
    // A supply first: the unit may be dead without it.
    std::vector<const Instrument*> order;
    for (const auto& instrument : bench_.instruments) {
        const bool supply = instrument.feeds();
        const bool needed = plan.roles.contains(instrument.role) || instrument.role == "unit" || supply;
        if (needed) order.insert(supply ? order.begin() : order.end(), &instrument);
    }
    for (const Instrument* i : order) {
        std::string identity;
        if (i->place.speaks()) {
            in_use_ = i->role;
            roles_.emplace(i->role, connect(*i));
            // A unit on a supply of the bench is asked when it has been switched on.
            const bool may_be_dead = i->role == "unit" && order.front()->feeds();
            if (!may_be_dead) identity = roles_.at(i->role).identify();
        } else {
            identity = i->recorded() ? "recorded captures" : i->address;
        }
        identified_.push_back(
            {i->role, i->name, i->serial, identity, i->calibration_due, i->connected_to, i->address});
    }
}

InstrumentRole BenchConnection::connect(const Instrument& instrument) {
    return InstrumentRole(ScpiSession(instrument, simulated_.place_of(instrument), traffic_));
}

InstrumentRole& BenchConnection::role(const std::string& role) {
    in_use_ = role;
    const auto at = roles_.find(role);
    if (at == roles_.end()) fail_bench("the " + role + " takes no messages");
    return at->second;
}

void BenchConnection::reconnect(const std::string& role) {
    const Instrument* instrument = bench_.find(role);
    if (!instrument || !instrument->place.speaks()) return;
    roles_.erase(role);
    InstrumentRole anew = connect(*instrument);
    for (const auto& known : identified_) {
        if (known.role == role) anew.session().expect(known.identity);
    }
    roles_.emplace(role, std::move(anew));
}

}  // namespace rt::lab
