#include "lab/run/choice.hpp"

#include <algorithm>
#include <cctype>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

// Parts begin with a number, a plus or a minus; what follows an added value ("MHz") belongs to it.
std::vector<std::string> parts_of(std::string_view reply) {
    std::string text(reply);
    std::replace(text.begin(), text.end(), ',', ' ');
    std::vector<std::string> out;
    for (const auto word : split(std::string_view(text), ' ')) {
        if (word.empty()) continue;
        const bool begins = word.front() == '+' || word.front() == '-' ||
                            (std::isdigit(static_cast<unsigned char>(word.front())) && to_double(word));
        const bool added = !out.empty() && out.back().front() == '+' && out.back().size() > 1;
        // "+630 MHz": the unit; "+ 630": the value.
        const bool goes_on = !out.empty() && (out.back() == "+" || out.back() == "-" || (added && !begins));
        if (goes_on) {
            out.back() += (out.back().size() > 1 ? " " : "") + std::string(word);
        } else {
            out.emplace_back(word);
        }
    }
    return out;
}

std::size_t number_of(const std::string& text, std::size_t count) {
    const auto number = to_double(text);
    if (!number || *number < 1 || *number > static_cast<double>(count) ||
        *number != static_cast<double>(static_cast<std::size_t>(*number)))
        fail_input(in_quotes(text) + " is no number from 1 to " + std::to_string(count));
    return static_cast<std::size_t>(*number) - 1;
}

}  // namespace

std::vector<AxisValue> chosen(const std::vector<AxisValue>& found, std::string_view reply) {
    std::set<std::size_t> taken, left_out;
    std::vector<AxisValue> added;
    for (const auto& part : parts_of(reply)) {
        if (part.front() == '-') {
            left_out.insert(number_of(part.substr(1), found.size()));
        } else if (part.front() == '+') {
            const std::string text(trim(std::string_view(part).substr(1)));
            if (text.empty()) fail_input("write the value behind the +");
            const auto& like = found.front().quantity;
            added.push_back(like ? quantity_value(parse_quantity(text, like->unit)) : word_value(text));
        } else {
            taken.insert(number_of(part, found.size()));
        }
    }
    if (!taken.empty() && !left_out.empty())
        fail_input("write either the numbers to take, or with a minus those to leave out");
    std::vector<AxisValue> out;
    for (std::size_t i = 0; i < found.size(); ++i) {
        if (taken.empty() ? !left_out.contains(i) : taken.contains(i)) out.push_back(found[i]);
    }
    for (auto& value : added) {
        const auto same = [&](const AxisValue& other) { return other.text == value.text; };
        if (std::none_of(out.begin(), out.end(), same)) out.push_back(std::move(value));
    }
    if (out.empty()) fail_input("nothing would be left to measure");
    return out;
}

}  // namespace rt::lab
