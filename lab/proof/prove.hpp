// A dialect proven at an instrument: every command sent, every setting read back, captures of known length,
// the error queue made to speak, times taken.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "lab/bench/traffic_log.hpp"
#include "lab/model/bench.hpp"

namespace rt::lab {

// What may happen to what is connected. Without leave it is left out, and told.
struct ProofLeave {
    bool outputs = false;                 // outputs switched on, voltages and currents of supplies
    bool movement = false;                // turntables and masts
    bool zero = false;                    // zero and calibrate
    Quantity most_level{-30, Unit::dbm};  // sources are set to no more
};

struct ProofStep {
    enum class End {
        proven,    // what was told is what it has; what was asked for came, as much as was asked for
        answered,  // it takes or answers it; nothing proves that it means the same
        odd,       // it has, or gives, something else
        refused,   // it reports an error, or does not answer
        left_out,  // not tried: no leave, or nothing to try it with
    };
    std::string group;    // "identity", "error queue", "settings", "captures" ...
    std::string command;  // name in the dialect; for captures what they are
    std::string sent, answer;
    std::string note;  // what is odd, why it was left out
    End end = End::answered;
    double seconds = 0;
};

const char* name(ProofStep::End end);

struct Proof {
    std::string role, name, serial, address, dialect, identity;
    std::string started, ended;  // UTC
    double round_trip_s = 0;     // of the question who it is, the middle one of 21
    std::vector<ProofStep> steps;

    std::size_t count(ProofStep::End end) const;
    // Nothing odd or refused.
    bool holds() const { return count(ProofStep::End::odd) + count(ProofStep::End::refused) == 0; }
};

// Trouble of the bench is told in the steps: nothing is thrown for it.
Proof prove(const Instrument& instrument, const Address& place, const ProofLeave& leave,
            TrafficLog* traffic = nullptr);

}  // namespace rt::lab
