// Where a record holds the bursts of a beacon.
#pragma once

#include <vector>

#include "core/signal/iq_record.hpp"

namespace rt::beacon {

struct Candidate {
    double start_s, stop_s;    // of its carrier line, within 10 ms
    double offset_hz;          // of the line from the middle of the record, within 50 Hz
    bool cut_start, cut_stop;  // it is there at an end of the record
};

// The strongest line of a spectrum of 10 ms that stands 18 dB above its median: 100 ms at the same place,
// then within 1.3 kHz of it, 250 ms to 1 s in all.
std::vector<Candidate> find_candidates(const IqRecord& record);

}  // namespace rt::beacon
