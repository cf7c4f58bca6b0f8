// The 40 channels of localisers and their glide paths (ICAO Annex 10, volume I, 3.1.6).
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rt::landing {

struct Channel {
    int number;   // of the distance-measuring equipment: 18 to 56
    char letter;  // X, or Y for the channels 50 kHz above
    double localiser_hz, glide_path_hz;
    std::string name() const { return std::to_string(number) + letter; }
};

const std::vector<Channel>& channels();

// "18X", "18x"; nothing for one that is no channel of a landing system.
std::optional<Channel> channel_called(const std::string& name);
// The one whose localiser or glide path lies within 0.01 % of a frequency.
struct Found {
    Channel channel;
    bool glide_path;
    double nominal_hz() const { return glide_path ? channel.glide_path_hz : channel.localiser_hz; }
};
std::optional<Found> channel_at(double hz);

}  // namespace rt::landing
