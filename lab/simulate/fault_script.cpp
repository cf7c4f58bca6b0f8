#include "lab/simulate/fault_script.hpp"

#include <algorithm>
#include <chrono>
#include <thread>

namespace rt::lab {

FaultScript::FaultScript(std::vector<PlannedFault> faults) {
    for (auto& fault : faults) faults_.push_back({std::move(fault)});
}

Reply FaultScript::reply(SimulatedInstrument& instrument, std::string_view message) {
    // Faults that show in what the instrument says, not in how.
    const auto inside = [](const Entry& entry) {
        static const std::vector<std::string> kinds{"error-entry", "overload", "drift", "wrong-mode", "hang"};
        return std::find(kinds.begin(), kinds.end(), entry.fault.kind) != kinds.end();
    };
    const auto due = [&](const Entry& entry) {
        return answers_ >= entry.fault.after &&
               (entry.fault.times == 0 || entry.happened < entry.fault.times);
    };
    for (auto& entry : faults_) {
        const bool lasting = entry.fault.kind != "error-entry" && entry.fault.times == 0;
        if (!inside(entry) || !due(entry) || (lasting && entry.happened > 0)) continue;
        ++entry.happened;
        instrument.suffer(entry.fault);
    }
    Reply reply{instrument.handle(message)};
    if (!reply.text) return reply;
    for (auto& entry : faults_) {
        const std::string& kind = entry.fault.kind;
        if (inside(entry) || !due(entry)) continue;
        ++entry.happened;
        if (kind == "slow") std::this_thread::sleep_for(std::chrono::duration<double>(entry.fault.delay_s));
        if (kind == "silent") reply.text.reset();
        if (kind == "drop") reply.drop = true;
        if (kind == "garbage") reply.text = "\x01\x7f?garbage\x1b[31m,,#";
        if (kind == "half-block") {
            reply.text->resize(reply.text->size() / 2);
            reply.cut = true;
        }
        break;
    }
    ++answers_;
    return reply;
}

}  // namespace rt::lab
