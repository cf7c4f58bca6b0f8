#include "lab/simulate/instruments/cellular_tester.hpp"

#include <cmath>

namespace rt::lab {

SimulatedCellularTester::SimulatedCellularTester(std::shared_ptr<Stage> stage, Options options)
    : SimulatedAnalyser(std::move(stage), options), port_(options.port), role_(options.role) {
    SimulatedCellularTester::reset();
    add_cell();
}

void SimulatedCellularTester::reset() {
    SimulatedAnalyser::reset();
    const Cell fresh;
    on_ = fresh.on, frequency_hz_ = fresh.frequency_hz, bandwidth_hz_ = fresh.bandwidth_hz;
    identity_ = fresh.identity, level_dbm_ = fresh.level_dbm, modulation_ = fresh.modulation;
    first_block_ = fresh.first_block, blocks_ = fresh.blocks, target_dbm_ = fresh.target_dbm;
    control_ = technology_ = 0;
    pattern_ = "0";
    tell();
}

void SimulatedCellularTester::tell() {
    Cell cell;
    cell.on = on_, cell.frequency_hz = frequency_hz_, cell.bandwidth_hz = bandwidth_hz_;
    cell.identity = static_cast<int>(std::lround(identity_)), cell.level_dbm = level_dbm_;
    cell.modulation = modulation_;
    cell.first_block = static_cast<int>(std::lround(first_block_));
    cell.blocks = static_cast<int>(std::lround(blocks_));
    cell.control = static_cast<Cell::Control>(control_), cell.target_dbm = target_dbm_;
    cell.steps_db = *steps_in(pattern_);
    stage_->set_cell(port_, role_, cell);
}

void SimulatedCellularTester::add_cell() {
    const auto told = [this] { tell(); };
    word("CELL:TECHnology", technology_, {"LTE", "NR"}, told);
    flag("CELL:STATe", on_, told);
    number("CELL:FREQuency", frequency_hz_, ScpiUnit::hertz, {400e6, 7.2e9, 1.95e9}, told);
    number("CELL:BANDwidth", bandwidth_hz_, ScpiUnit::hertz, {1.4e6, 100e6, 10e6}, told);
    number("CELL:IDENtity", identity_, ScpiUnit::plain, {0, 65535, 0}, told);
    number("CELL:LEVel", level_dbm_, ScpiUnit::dbm, {-130, -10, -60}, told);
    tree_.on(
        "UPLink:MODulation",
        [this](const ScpiArguments& a) {
            modulation_ = only_argument(a);
            tell();
        },
        [this](const auto&) { return modulation_; });
    number("UPLink:FIRSt", first_block_, ScpiUnit::plain, {0, 272, 0}, told);
    number("UPLink:BLOCks", blocks_, ScpiUnit::plain, {0, 273, 0}, told);
    word("UPLink:POWer:CONTrol", control_, {"MAXimum", "MINimum", "TARGet", "PATTern"}, told);
    number("UPLink:POWer:TARGet", target_dbm_, ScpiUnit::dbm, {-60, 40, 0}, told);
    tree_.on(
        "UPLink:POWer:PATTern",
        [this](const ScpiArguments& a) {
            std::string text = only_argument(a);
            std::erase(text, '"');
            const auto steps = steps_in(text);
            constexpr std::size_t most = 100;
            if (!steps || steps->size() > most) throw ScpiError{-224, "Illegal parameter value"};
            pattern_ = text;
            tell();
        },
        [this](const auto&) { return '"' + pattern_ + '"'; });
    tree_.on(
        "CONNection:STATe",
        [this](const ScpiArguments& a) { scpi_flag(a) ? stage_->attach(port_) : stage_->detach(port_); },
        [this](const auto&) {
            constexpr double asking_s = 0.05;
            stage_->spend(asking_s);
            return name(stage_->attachment(port_));
        });
    // Bit 0: the unit was attached and is not any more.
    tree_.on_query("STATus:CELL",
                   [this](const auto&) { return stage_->attachment(port_) == Attachment::lost ? "1" : "0"; });
}

}  // namespace rt::lab
