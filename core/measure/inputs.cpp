#include "core/measure/inputs.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

const Capture* Inputs::find(std::string_view name) const {
    const auto at = std::find_if(all_.begin(), all_.end(), [&](const Input& i) { return i.name == name; });
    return at == all_.end() ? nullptr : &at->capture;
}

bool InputInfo::named(std::string_view input) const {
    if (input == name) return true;
    const std::string begin = std::string(name) + "-";
    if (!many || !input.starts_with(begin)) return false;
    const auto number = to_double(input.substr(begin.size()));
    return number && *number >= 2 && *number <= 99 &&
           std::to_string(static_cast<int>(*number)) == input.substr(begin.size());
}

std::vector<const Input*> Inputs::all_of(const InputInfo& info) const {
    std::vector<const Input*> out;
    for (const auto& input : all_) {
        if (info.named(input.name)) out.push_back(&input);
    }
    return out;
}

Capture Inputs::take_first() {
    return std::move(all_.front().capture);
}

Capture Inputs::take(std::string_view name) {
    const auto at = std::find_if(all_.begin(), all_.end(), [&](const Input& i) { return i.name == name; });
    if (at == all_.end()) throw Error(ErrorKind::internal, "", "an input that may be missing is taken");
    return std::move(at->capture);
}

void Inputs::require(std::span<const InputInfo> infos, std::string_view procedure) {
    const std::string who(procedure);
    if (infos.empty()) {
        if (all_.size() == 1 && all_.front().name.empty()) return;
        fail_input(who + " takes one capture, without a name");
    }
    std::vector<std::string> names;
    for (const auto& info : infos) names.emplace_back(info.name);
    if (!all_.empty() && all_.front().name.empty()) all_.front().name = names.front();
    for (const auto& input : all_) {
        if (std::none_of(infos.begin(), infos.end(),
                         [&](const InputInfo& info) { return info.named(input.name); }))
            fail_input(who + " has no input " + in_quotes(input.name) + suggestion(input.name, names));
    }
    std::vector<Input> ordered;
    for (const auto& info : infos) {
        std::size_t count = 0;
        std::vector<std::string> seen;
        for (auto& input : all_) {
            if (!info.named(input.name)) continue;
            if (std::find(seen.begin(), seen.end(), input.name) != seen.end())
                fail_input(who + " takes one input " + in_quotes(input.name) + ", two were given");
            seen.push_back(input.name);
            ordered.push_back(std::move(input));
            ++count;
        }
        if (count == 0 && info.required) {
            fail_input(who + " needs the input " + in_quotes(info.name) + " (" + info.help + "): write " +
                       info.name + "=FILE");
        }
    }
    all_ = std::move(ordered);
}

std::string Inputs::prefix(const Input& input) const {
    return all_.size() == 1 ? "" : input.name + ": ";
}

}  // namespace rt
