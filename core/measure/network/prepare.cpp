#include "core/measure/network/prepare.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/network/correct_network.hpp"

namespace rt {

CaptureSetup network_setup(const Parameters& p) {
    NetworkSetup out;
    out.start_hz = p.required("start"), out.stop_hz = p.required("stop");
    out.points = static_cast<std::size_t>(p.required("points"));
    out.bandwidth_hz = p.required("bandwidth");
    out.raw = p.text("data") == "raw";
    if (!(out.start_hz > 0 && out.stop_hz > out.start_hz))
        fail_input("parameters start and stop: 0 Hz, start, stop must ascend");
    if (out.points < 2 || out.points > 100001) fail_input("parameter points: 2 to 100001 are possible");
    if (!(out.bandwidth_hz > 0)) fail_input("parameter bandwidth: must be above 0 Hz");
    return out;
}

CaptureSetup kit_setup(const Parameters&) {
    return CalibrationKitSetup{};
}

CaptureSetup error_terms_setup(const Parameters&) {
    return ErrorTermsSetup{};
}

static bool was_corrected(const Network& network) {
    return std::any_of(network.done.begin(), network.done.end(),
                       [](const std::string& step) { return step.starts_with("corrected by "); });
}

Network corrected_input(Network raw, const ErrorTerms* terms, const Parameters& p, const std::string& name,
                        Outcome& outcome) {
    if (!terms || was_corrected(raw)) return raw;
    if (terms->distrust) fail_signal("the error terms: " + *terms->distrust);
    if (raw.source_dbm && terms->source_dbm) {
        const double below = *terms->source_dbm - *raw.source_dbm;
        const auto allowed = p.number("level_within");
        if (allowed && below > *allowed + 1e-9)
            fail_signal(
                fmt::format("{} was measured {} below the level of the calibration, more than the {} allowed",
                            name, format({below, Unit::db}), format({*allowed, Unit::db})));
        if (below != 0)
            outcome.notes.push_back(fmt::format("{} was measured at {}, calibrated at {}", name,
                                                format({*raw.source_dbm, Unit::dbm}),
                                                format({*terms->source_dbm, Unit::dbm})));
    }
    for (const auto& deviation : terms->deviations) {
        const std::string text = "calibration: " + deviation;
        if (std::find(outcome.deviations.begin(), outcome.deviations.end(), text) == outcome.deviations.end())
            outcome.deviations.push_back(text);
    }
    try {
        return corrected(raw, *terms);
    } catch (const Error& error) {
        throw Error(error.kind(), error.place(), name + ": " + error.message());
    }
}

std::optional<Unexpected> lost_contact(const Capture& capture, const Parameters& p) {
    const auto least = p.number("contact");
    const auto* n = std::get_if<Network>(&capture);
    if (!least || !n || n->ports < 2) return std::nullopt;
    const double db = 20 * std::log10(std::max(std::abs(n->at(0, 2, 1)), 1e-15));
    if (db >= *least) return std::nullopt;
    return Unexpected{
        fmt::format("|S21| of {:.1f} dB at {}", db, format({n->frequency_hz.front(), Unit::hertz})),
        fmt::format("contact, at least {:.1f} dB", *least)};
}

Network taken_network(Inputs& inputs, const char* name, const Parameters& p, const char* procedure,
                      Outcome& outcome) {
    Network raw = take<Network>(inputs.take(name), procedure);
    if (!inputs.find("terms")) {
        if (p.text("data") == "raw")
            fail_input("raw data needs the input terms: give the error terms, or data = corrected");
        return raw;
    }
    const Capture any = *inputs.find("terms");
    const ErrorTerms terms = take<ErrorTerms>(any, procedure);
    return corrected_input(std::move(raw), &terms, p, name, outcome);
}

void note_steps(const Network& network, Outcome& outcome) {
    std::string steps;
    for (const auto& step : network.done) steps += (steps.empty() ? "" : "; ") + step;
    if (!steps.empty()) outcome.notes.push_back("done to the data: " + steps);
}

PortPairs pairs_of(const std::string& text) {
    PortPairs out;
    std::string all = text;
    std::replace(all.begin(), all.end(), ',', ' ');
    for (const auto part : split(all, ' ')) {
        if (trim(part).empty()) continue;
        const auto minus = part.find('-');
        const auto a =
            minus == std::string_view::npos ? std::nullopt : to_double(trim(part.substr(0, minus)));
        const auto b =
            minus == std::string_view::npos ? std::nullopt : to_double(trim(part.substr(minus + 1)));
        if (!a || !b || *a < 1 || *b < 1 || *a != std::floor(*a) || *b != std::floor(*b) || *a == *b ||
            *a > 99 || *b > 99)
            fail_input("parameter pairs: " + in_quotes(text) +
                       " is none; write 1-2, or 1-3 2-4 for two pairs");
        out.emplace_back(static_cast<std::size_t>(*a), static_cast<std::size_t>(*b));
    }
    return out;
}

ParameterName parameter_named(const std::string& text, std::size_t ports, const PortPairs& pairs) {
    const std::string word = lower(text);
    const auto fail = [&](const std::string& why) {
        fail_input("parameter parameter: " + in_quotes(text) + " " + why +
                   (pairs.empty() ? "; write S21" : "; write SDD21, SCD11 and the like"));
    };
    std::size_t at = 1;
    std::string modes;
    while (at < word.size() && (word[at] == 'd' || word[at] == 'c' || word[at] == 's')) modes += word[at++];
    if (word.empty() || word[0] != 's' || (!modes.empty() && modes.size() != 2))
        fail("is no scattering parameter");
    const std::string digits = word.substr(at);
    const auto comma = digits.find(',');
    const std::string first =
        comma == std::string::npos ? digits.substr(0, digits.size() / 2) : digits.substr(0, comma);
    const std::string second =
        comma == std::string::npos ? digits.substr(digits.size() / 2) : digits.substr(comma + 1);
    const auto a = to_double(first), b = to_double(second);
    if (!a || !b || *a < 1 || *b < 1 || *a != std::floor(*a) || *b != std::floor(*b) ||
        (comma == std::string::npos && digits.size() != 2))
        fail("is no scattering parameter");
    ParameterName out{text, 0, 0};
    const auto row = [&](char mode, double number) {
        const auto n = static_cast<std::size_t>(number);
        if (mode == 'd' || mode == 'c') {
            if (n > pairs.size()) fail(fmt::format("names pair {}, there are {}", n, pairs.size()));
            return n + (mode == 'c' ? pairs.size() : 0);
        }
        if (pairs.empty() || mode == 0) {
            if (n > ports) fail(fmt::format("names port {}, the data has {}", n, ports));
            if (!pairs.empty()) fail("names no mode, and there are pairs");
            return n;
        }
        // Single ports beside pairs keep their number.
        std::size_t place = 2 * pairs.size();
        for (std::size_t port = 1; port <= ports; ++port) {
            const bool paired = std::any_of(pairs.begin(), pairs.end(), [&](const auto& pair) {
                return pair.first == port || pair.second == port;
            });
            if (!paired) ++place;
            if (port == n && !paired) return place;
        }
        fail(fmt::format("names single port {}, which there is not", n));
        return place;
    };
    out.to = row(modes.empty() ? 0 : modes[0], *a);
    out.from = row(modes.empty() ? 0 : modes[1], *b);
    return out;
}

std::vector<std::complex<double>> values_of(const Network& n, const ParameterName& name) {
    std::vector<std::complex<double>> out;
    out.reserve(n.frequency_hz.size());
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) out.push_back(n.at(i, name.to, name.from));
    return out;
}

}  // namespace rt
