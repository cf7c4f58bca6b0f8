// beacon.message: a message from its bits.
#include "core/measure/beacon/message.hpp"

#include <fmt/core.h>

#include "core/base/text.hpp"

namespace rt {

void beacon::add_message(const Frame& frame, Outcome& outcome) {
    Table table{"message", "The message, field by field", {{"bits"}, {"field"}, {"value"}}, {}};
    for (const auto& field : frame.fields) {
        table.rows.push_back({field.first == field.last ? std::to_string(field.first)
                                                        : fmt::format("{} to {}", field.first, field.last),
                              field.name, field.value});
    }
    if (!frame.identity.empty())
        table.rows.push_back(
            {std::string("26 to 85"), std::string("identity, position at its defaults"), frame.identity});
    outcome.tables.push_back(std::move(table));
    for (const auto& why : frame.broken) outcome.notes.push_back("broken rule: " + why);
    if (!frame.refused.empty()) {
        outcome.invalid = "the message is refused: " + frame.refused;
        return;
    }
    outcome.add("errors_first", static_cast<double>(*frame.first_errors), Unit::count);
    if (frame.second_errors) {
        outcome.add("errors_second", static_cast<double>(*frame.second_errors), Unit::count);
    } else {
        outcome.lacking["errors_second"] = frame.is_long ? "more than two bits from 107 to 144 are wrong"
                                                         : "a short message has no second check word";
    }
    outcome.add("rules_broken", static_cast<double>(frame.broken.size()), Unit::count);
    outcome.add("country", frame.country, Unit::none);
    outcome.add("self_test", frame.self_test ? 1 : 0, Unit::count);
    if (frame.position) {
        outcome.add("latitude", frame.position->latitude_deg, Unit::degree);
        outcome.add("longitude", frame.position->longitude_deg, Unit::degree);
        outcome.add("position_step", frame.position->step_deg, Unit::degree);
    } else {
        for (const char* name : {"latitude", "longitude", "position_step"})
            outcome.lacking[name] = frame.no_position;
    }
    if (frame.test_protocol) outcome.notes.emplace_back("a test protocol: the message is no alert");
    if (frame.self_test) outcome.notes.emplace_back("a self-test: the message is no alert");
}

namespace {

constexpr std::array message_parameters{
    ParameterInfo{"identity", ParameterKind::text, Unit::none, "",
                  "the 15 hexadecimal digits that the beacon is registered by; any without it"},
};

Outcome measure_message(Capture any, const Parameters& p) {
    const auto word = take<CodeWord>(std::move(any), "beacon.message");
    const auto frame = beacon::read_frame(word.bits);
    Outcome outcome;
    beacon::add_message(frame, outcome);
    const std::string wanted = p.text("identity");
    if (!outcome.invalid && !wanted.empty() && lower(wanted) != lower(frame.identity))
        outcome.invalid = "another beacon: its identity is " + frame.identity + ", not " + wanted;
    return outcome;
}

}  // namespace

// The message of a first-generation 406 MHz beacon (C/S T.001, annex A): check words verified and corrected,
// every field with its bits. Table `message`.
Procedure beacon_message() {
    return {
        "beacon.message",
        "Message of a 406 MHz beacon",
        "Reads a short or long message from its hexadecimal digits or bits, with or without the 24 bits of "
        "synchronisation. Both check words (BCH) are verified; up to three and two wrong bits are set right "
        "and "
        "counted, more are refused. Protocols of C/S T.001; broken rules of the structure are named.",
        message_parameters,
        {},
        beacon::message_products,
        [](const Parameters&) -> CaptureSetup { return CodeWordSetup{}; },
        measure_message,
        preset_named};
}

}  // namespace rt
