#include "lab/simulate/fault_script.hpp"

#include <algorithm>
#include <chrono>
#include <thread>

namespace rt::lab {

FaultScript::FaultScript(std::vector<PlannedFault> faults) {
    for (auto& fault : faults) faults_.push_back({std::move(fault)});
}

namespace {

// Faults that show in what the instrument says, not in how.
bool inside(const std::string& kind) {
    static const std::vector<std::string> kinds{"error-entry", "overload",      "drift",    "wrong-mode",
                                                "hang",        "unlevelled",    "unlocked", "uncalibrated",
                                                "panel",       "another-value", "restart"};
    return std::find(kinds.begin(), kinds.end(), kind) != kinds.end();
}

// Those that may happen between any two messages, not only between answers.
bool by_message(const std::string& kind) {
    return kind == "panel" || kind == "another-value" || kind == "restart";
}

}  // namespace

// What the instrument itself suffers; true when its connection goes with it.
bool FaultScript::happen(SimulatedInstrument& instrument) {
    bool dropped = false;
    for (auto& entry : faults_) {
        const std::string& kind = entry.fault.kind;
        const bool lasting = kind != "error-entry" && entry.fault.times == 0;
        if (!inside(kind) || !due(entry) || (lasting && entry.happened > 0)) continue;
        ++entry.happened;
        instrument.suffer(entry.fault);
        dropped = dropped || kind == "restart";
    }
    return dropped;
}

bool FaultScript::due(const Entry& entry) const {
    const long long so_far = by_message(entry.fault.kind) ? messages_ : answers_;
    return so_far >= entry.fault.after && (entry.fault.times == 0 || entry.happened < entry.fault.times);
}

void FaultScript::spoil(Reply& reply, const PlannedFault& fault) {
    const std::string& kind = fault.kind;
    if (kind == "slow") std::this_thread::sleep_for(std::chrono::duration<double>(fault.delay_s));
    if (kind == "silent") reply.text.reset();
    if (kind == "drop") reply.drop = true;
    if (kind == "garbage") reply.text = "\x01\x7f?garbage\x1b[31m,,#";
    if (kind == "half-block") {
        reply.text->resize(reply.text->size() / 2);
        reply.cut = true;
    }
    if (kind == "cut") {
        // At a place that differs from answer to answer, from before the first byte to before the last.
        reply.text->resize(static_cast<std::size_t>(answers_ * 7919) %
                           std::max<std::size_t>(reply.text->size(), 1));
        reply.cut = reply.leaves = true;
    }
    // The answer to the question before comes once more, and this one's at the next question.
    if (kind == "swap") std::swap(*reply.text, before_);
}

Reply FaultScript::reply(SimulatedInstrument& instrument, std::string_view message) {
    if (happen(instrument)) return {std::nullopt, true};
    ++messages_;
    Reply reply{instrument.handle(message)};
    if (!reply.text) return reply;
    const std::string own = *reply.text;
    for (auto& entry : faults_) {
        if (inside(entry.fault.kind) || !due(entry)) continue;
        ++entry.happened;
        spoil(reply, entry.fault);
        break;
    }
    if (before_.empty() || reply.text == own) before_ = own;
    ++answers_;
    return reply;
}

}  // namespace rt::lab
