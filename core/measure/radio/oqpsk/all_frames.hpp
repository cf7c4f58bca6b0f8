// All O-QPSK frames of a record's bursts.
#pragma once

#include <vector>

#include "core/dsp/bursts.hpp"
#include "core/dsp/channel.hpp"
#include "core/measure/radio/oqpsk/demodulate.hpp"

namespace rt::oqpsk {

struct Frame {
    Burst burst = {};    // with the power from the frame's first chip to its last
    double first_s = 0;  // of the samples given to the demodulator
    Attempt attempt = {};
    Neighbour neighbour = {};  // beside which it was compared behind the channel filter
};

// What the bursts begin with, a frame or why there is none, and the frames behind the first: a burst may hold
// several, too close to each other for the trigger. `channel` is the record turned by `shift` and behind the
// channel filter.
std::vector<Frame> all_frames(const IqRecord& record, const IqRecord& channel,
                              const std::vector<Burst>& bursts, double search_hz, double shift);

}  // namespace rt::oqpsk
