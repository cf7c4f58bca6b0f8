// One channel out of a record that holds more than it.
#pragma once

#include <complex>
#include <span>

#include "core/signal/iq_record.hpp"

namespace rt {

struct ChannelFilter {
    double cutoff_hz = 0;      // half of the voltage, to both sides of the channel's centre
    double transition_hz = 0;  // width of the slope, which ends 80 dB down
};

// The record with `shift_hz` of its baseband turned to 0 Hz, computed as it is read.
IqRecord turned(const IqRecord& record, double shift_hz);

// The record with `shift_hz` of its baseband turned to 0 Hz and through the filter, not delayed; samples are
// computed as they are read. Where the filter would reach beyond the band of the record, only turned. Beyond
// the ends of the record the signal counts as zero.
IqRecord channel_of(const IqRecord& record, double shift_hz, const ChannelFilter& filter);

// Another signal beyond the channel: what stands more than 10 dB out of the noise there, `beyond_hz` and more
// from the middle of the samples, over the power within. As a ratio of powers; 0 where there is none or too
// little is recorded.
struct Neighbour {
    double ratio = 0, at_hz = 0;  // its strongest frequency, from the middle
};
Neighbour neighbour_of(std::span<const std::complex<float>> samples, double rate_hz, double beyond_hz);

}  // namespace rt
