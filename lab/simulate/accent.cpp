#include "lab/simulate/accent.hpp"

#include <algorithm>

#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"

namespace rt::lab {

AccentedInstrument::AccentedInstrument(std::shared_ptr<SimulatedInstrument> instrument,
                                       std::vector<Accent> accents)
    : instrument_(std::move(instrument)), accents_(std::move(accents)) {}

// Each message unit by itself: the parts between semicolons that are in no quotes.
static std::vector<std::string> units_of(std::string_view message) {
    std::vector<std::string> out(1);
    bool quoted = false;
    for (const char c : message) {
        if (c == '"') quoted = !quoted;
        if (c == ';' && !quoted) {
            out.emplace_back();
        } else {
            out.back() += c;
        }
    }
    return out;
}

// Those of its own in place of those that it does not know.
std::string AccentedInstrument::headers() {
    const std::string block = instrument_->handle("SYSTem:HELP:HEADers?").value_or("#10");
    std::string out;
    for (const auto part :
         split(std::string_view(block).substr(2 + static_cast<std::size_t>(block[1] - '0')), '\n')) {
        std::string header(part), low;
        for (const char c : lower(header)) low += c == '[' || c == ']' ? "" : std::string(1, c);
        const bool gone = std::any_of(accents_.begin(), accents_.end(), [&](const Accent& accent) {
            return accent.means.empty() && accent.answers.empty() &&
                   (lower(accent.hears) == low || lower(accent.hears) == low + "?");
        });
        if (!gone && !header.empty()) out += header + "\n";
    }
    for (const auto& accent : accents_) {
        if (!accent.means.empty() || !accent.answers.empty()) out += accent.hears + "\n";
    }
    return block_of(out);
}

std::optional<std::string> AccentedInstrument::handle(std::string_view message) {
    if (lower(std::string(trim(message))) == "system:help:headers?") return headers();
    // Blocks are not for its ears.
    if (message.find("#") != std::string_view::npos) return instrument_->handle(message);
    std::string answers, translated;
    bool answered = false;
    const auto flush = [&] {
        if (translated.empty()) return;
        if (const auto said = instrument_->handle(std::exchange(translated, {}))) {
            answers += (answered ? ";" : "") + *said;
            answered = true;
        }
    };
    for (const auto& unit : units_of(message)) {
        const std::string text(trim(unit));
        const auto end = std::min(text.find(' '), text.size());
        std::string header = lower(text.substr(0, end));
        if (header.starts_with(':')) header.erase(0, 1);
        const auto known = std::find_if(accents_.begin(), accents_.end(),
                                        [&](const Accent& accent) { return lower(accent.hears) == header; });
        if (known == accents_.end()) {
            translated += (translated.empty() ? "" : ";") + text;
        } else if (!known->means.empty()) {
            translated += (translated.empty() ? "" : ";:") + known->means + text.substr(end);
        } else if (!known->answers.empty()) {
            flush();
            answers += (answered ? ";" : "") + known->answers;
            answered = true;
        } else {
            translated += (translated.empty() ? "" : ";:") + std::string("UNKNown:HEADer") +
                          (header.ends_with('?') ? "?" : "");
        }
    }
    flush();
    return answered ? std::optional(answers) : std::nullopt;
}

}  // namespace rt::lab
