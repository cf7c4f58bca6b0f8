#include "core/bus/place.hpp"

#include <algorithm>

namespace rt {

std::string place_text(const std::vector<BusMark>& marks, double time_s, const BusWords& words) {
    const auto after = std::upper_bound(marks.begin(), marks.end(), time_s,
                                        [](double t, const BusMark& m) { return t < m.from_s; });
    if (after == marks.begin()) return "";
    const BusMark& mark = *std::prev(after);
    const std::string group = std::string(words.group) + " " + std::to_string(mark.group);
    if (mark.what == BusMark::What::start) return "start of " + group;
    if (mark.what == BusMark::What::stop) return "end of " + group;
    const std::string word = std::string(words.word) + " " + std::to_string(mark.word);
    if (mark.bit == words.answer) return group + ", acknowledge of " + word;
    return group + ", " + word + ", bit " + std::to_string(mark.bit);
}

}  // namespace rt
