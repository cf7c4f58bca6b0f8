#include "lab/run/hand_keys.hpp"

#include <algorithm>

#include "core/base/text.hpp"

namespace rt::lab {

HandKeys::HandKeys(const std::vector<HandKey>& keys, const TextPairs& settings) : keys_(keys) {
    for (const auto& [name, value] : settings) now_[name] = value;
}

std::optional<std::pair<std::string, std::string>> HandKeys::press(char pressed) {
    for (const auto& key : keys_) {
        const bool up = pressed == key.up, down = key.down != '\0' && pressed == key.down;
        if (!up && !down) continue;
        std::string& value = now_[key.setting];
        if (key.step) {
            const double from = parse_quantity(value, key.step->unit).value;
            // Steps do not add their rounding up: the decimals of step and value are enough.
            const double to = from + (up ? 1 : -1) * key.step->value;
            value = format_exact({*to_double(decimal(to, 12)), key.step->unit});
        } else {
            const auto at = std::find(key.values.begin(), key.values.end(), value);
            const std::size_t count = key.values.size();
            const std::size_t here =
                at == key.values.end() ? count - 1 : static_cast<std::size_t>(at - key.values.begin());
            value = key.values[(here + (up ? 1 : count - 1)) % count];
        }
        const auto same = [&](const auto& pair) { return pair.first == key.setting; };
        const auto known = std::find_if(changed_.begin(), changed_.end(), same);
        if (known == changed_.end()) {
            changed_.emplace_back(key.setting, value);
        } else {
            known->second = value;
        }
        return std::pair{key.setting, value};
    }
    return std::nullopt;
}

std::string HandKeys::text() const {
    std::string out;
    for (const auto& key : keys_) {
        out += out.empty() ? "" : ", ";
        if (key.down != '\0') out += std::string(1, key.down) + "/";
        out += std::string(1, key.up) + " " + key.setting;
        const auto at = now_.find(key.setting);
        if (at != now_.end()) out += " " + at->second;
    }
    return out;
}

}  // namespace rt::lab
