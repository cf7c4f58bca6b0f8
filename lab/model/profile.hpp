// Parameters of tests kept apart from campaigns, to be loaded, saved and reset.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

namespace rt::lab {

struct Profile {
    std::string title;
    // By test; they stand above those of the campaign.
    std::map<std::string, std::vector<std::pair<std::string, std::string>>> parameters;
    bool published = false;  // leave out whatever the campaign changes of what a rule presets
    std::string text;        // as read, for the copies of a run
};

}  // namespace rt::lab
