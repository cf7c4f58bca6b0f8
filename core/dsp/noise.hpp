// Noise alone, told from signals.
#pragma once

#include "core/signal/iq_record.hpp"

namespace rt {

// True when the record is as flat over frequency as white noise: of the mean of 256 and more transforms of 64
// points none stands 2 dB above their median. A transmitter never fills a whole record so. False for shorter
// records.
bool flat_as_noise(const IqRecord& record);

// True when at least three quarters of the record's power are an even floor over frequency: what a quarter of
// the points of such a mean lie below, taken everywhere. A signal in it is weaker than the noise. False for
// shorter records.
bool mostly_noise(const IqRecord& record);

}  // namespace rt
