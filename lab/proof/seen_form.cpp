#include "lab/proof/seen_form.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "lab/bench/numbers.hpp"

namespace rt::lab {
namespace {

// Levels and volts are numbers of ordinary size: in the wrong order of bytes they are not. The order; nothing
// when neither gives such numbers.
std::optional<bool> big_endian_real(const std::string& body, NumberForm form) {
    for (const bool big : {false, true}) {
        const auto numbers = decode_numbers(body, {form, big, {}, "", "", {}});
        const bool ordinary =
            numbers && std::all_of(numbers->begin(), numbers->end(), [](double v) {
                return v == 0 || (std::isfinite(v) && std::abs(v) > 1e-15 && std::abs(v) < 1e9);
            });
        if (ordinary) return big;
    }
    return std::nullopt;
}

// Neighbours of a trace lie close together: of two orders of bytes the one with the smaller steps is meant.
bool big_endian_whole(const std::string& body, NumberForm form) {
    double steps[2] = {};
    for (const bool big : {false, true}) {
        const auto numbers = decode_numbers(body, {form, big, {}, "", "", {}});
        for (std::size_t i = 1; numbers && i < numbers->size(); ++i)
            steps[big] += std::abs((*numbers)[i] - (*numbers)[i - 1]);
    }
    return steps[1] < steps[0];
}

SeenForm real_form(bool big, const char* name, bool preset) {
    SeenForm out;
    out.words = std::string(name) + (big ? ", big-endian" : ", little-endian");
    if (big || !preset)
        out.keys = std::string("form = \"") + name + "\"\n" + (big ? "order = \"big\"\n" : "");
    return out;
}

SeenForm whole_form(const std::string& body, int bytes) {
    SeenForm out;
    out.scaled = true;
    out.words =
        fmt::format("{} whole numbers of {} bits", body.size() / static_cast<std::size_t>(bytes), 8 * bytes);
    out.keys = fmt::format("form = \"int{}\"\n", 8 * bytes);
    const NumberForm form = bytes == 2 ? NumberForm::int16 : NumberForm::int32;
    if (bytes > 1) out.keys += big_endian_whole(body, form) ? "order = \"big\"\n" : "order = \"little\"\n";
    return out;
}

}  // namespace

SeenForm seen_form(const std::string& answer, double points) {
    SeenForm out;
    if (answer.size() < 2) return out;
    if (answer[0] != '#') {
        const auto numbers = decode_numbers(answer, {NumberForm::ascii, false, {}, "", "", {}});
        if (!numbers || numbers->size() < 2) return out;
        out.words = fmt::format("a list of {} numbers", numbers->size());
        out.keys = "form = \"ascii\"\n";
        return out;
    }
    if (answer[1] < '0' || answer[1] > '9') return out;
    const std::size_t head = answer[1] == '0' ? 2 : 2 + static_cast<std::size_t>(answer[1] - '0');
    const std::string body = answer.substr(std::min(head, answer.size()));
    if (!(points >= 2)) {
        out.words = fmt::format("a block of {} bytes", body.size());
        out.size_unknown = true;
        return out;
    }
    const double each = static_cast<double>(body.size()) / points;
    if (each == 8) {
        const auto big = big_endian_real(body, NumberForm::real64);
        return big ? real_form(*big, "real64", true) : out;
    }
    if (each == 4) {
        if (const auto big = big_endian_real(body, NumberForm::real32))
            return real_form(*big, "real32", false);
    }
    if (each == 1 || each == 2 || each == 4) return whole_form(body, static_cast<int>(each));
    out.words = fmt::format("{} bytes for {} points", body.size(), points);
    out.size_unknown = true;
    return out;
}

}  // namespace rt::lab
