// Modems on the stage: what they send, and the cells of testers that they attach to.
#include <set>

#include "lab/simulate/stage.hpp"

namespace rt::lab {

using Lock = std::lock_guard<std::mutex>;

const SimulatedModem* Stage::attending(const std::string& port) const {
    for (const auto& modem : unit_->surroundings().modems)
        if (modem.port == port && modem.attending && unit_->holds_now(modem.when)) return &modem;
    return nullptr;
}

void Stage::set_cell(const std::string& port, const std::string& role, const Cell& cell) {
    const Lock lock(mutex_);
    auto& known = cells_[port];
    // A cell that goes away takes its connection with it; one that moves keeps it.
    if (!cell.on) known.attached_s.reset(), known.lost = false;
    known.cell = cell, known.role = role;
}

bool Stage::hears_cell(const std::string& port, const Cell& cell, const std::string& role) const {
    const SimulatedModem* modem = attending(port);
    if (!modem || !cell.on || !powered() || hung()) return false;
    const auto way = wire(port, role);
    const double arriving = cell.level_dbm - (way ? way->loss_at(cell.frequency_hz) : 0);
    return arriving >= modem->attending->least_dbm;
}

void Stage::attach(const std::string& port) {
    Cell cell;
    std::string role;
    {
        const Lock lock(mutex_);
        cell = cells_[port].cell, role = cells_[port].role;
    }
    if (!hears_cell(port, cell, role) || attachment(port) == Attachment::attached) return;
    const double now = seconds();
    const double needed = attending(port)->attending->attach_s;
    const Lock lock(mutex_);
    cells_[port].attached_s = now + needed, cells_[port].lost = false;
}

void Stage::detach(const std::string& port) {
    const Lock lock(mutex_);
    cells_[port].attached_s.reset(), cells_[port].lost = false;
}

Attachment Stage::attachment(const std::string& port) const {
    const double now = seconds();
    KnownCell known;
    {
        const Lock lock(mutex_);
        const auto at = cells_.find(port);
        if (at == cells_.end()) return Attachment::none;
        known = at->second;
    }
    if (known.lost) return Attachment::lost;
    if (!known.attached_s) return Attachment::none;
    const SimulatedModem* modem = attending(port);
    const auto drops = modem ? modem->attending->drops_after_s : std::nullopt;
    const bool dropped = drops && now > *known.attached_s + *drops;
    if (!hears_cell(port, known.cell, known.role) || dropped) {
        const Lock lock(mutex_);
        cells_[port].lost = true;
        return Attachment::lost;
    }
    return now < *known.attached_s ? Attachment::attaching : Attachment::attached;
}

std::vector<ArrivingIq> Stage::sent_iq(const std::string& port, const std::string& role) const {
    std::vector<ArrivingIq> out;
    if (!powered() || hung()) return out;
    const double passed = seconds();
    const auto way = wire(port, role);
    double drifted = 0;
    std::optional<Cell> cell;
    if (attachment(port) == Attachment::attached) {
        const Lock lock(mutex_);
        cell = cells_.at(port).cell;
    }
    {
        const Lock lock(mutex_);
        drifted = drift_db_;
    }
    std::set<std::string> carriers;
    for (const auto& modem : unit_->surroundings().modems) {
        // Of several for the same carrier the first that holds.
        if (modem.port != port || !unit_->holds_now(modem.when)) continue;
        if (!carriers.insert(modem.frequency_setting).second) continue;
        if (modem.attending && !cell) continue;
        auto sent = sent_by(
            modem,
            [&](const std::string& name) {
                const auto told =
                    cell && modem.attending ? told_by(*cell, *modem.attending, name) : std::nullopt;
                return told ? *told : unit_->get(name);
            },
            passed);
        if (!sent) continue;
        sent->level_dbm += drifted;
        if (way) sent->level_dbm -= way->loss_at(sent->frequency_hz);
        out.push_back(std::move(*sent));
    }
    return out;
}

}  // namespace rt::lab
