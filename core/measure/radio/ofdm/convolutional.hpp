// The convolutional code of IEEE 802.11 OFDM (133, 171 octal, constraint length 7; clause 17.3.5.6).
#pragma once

#include <span>
#include <vector>

namespace rt::ofdm {

// Maximum likelihood from state 0 to state 0; two soft values a bit, positive for a 1, 0 for what was not
// sent.
std::vector<unsigned> viterbi(std::span<const double> soft);

}  // namespace rt::ofdm
