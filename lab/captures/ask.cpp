#include "lab/captures/ask.hpp"

#include <cctype>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/clock.hpp"

namespace rt::lab {

static bool is_over(ScpiSession& session, const Completion& completion, const std::string& answer) {
    if (!completion.answer.empty()) return answer == completion.answer;
    const auto number = parse_scpi_number(answer);
    if (!number || *number < 0 || *number != std::floor(*number) || *number > 4294967295.0)
        session.fail(completion.ask + " is answered by " + in_quotes(answer) + ", a register was expected");
    const bool set = (static_cast<std::uint32_t>(*number) & completion.bits) != 0;
    return set == completion.when_set;
}

// By the message that the transport carries, or by bit 6 of the status byte where it carries none.
static bool requested(ScpiSession& session) {
    if (session.session().service_requested()) return true;
    const auto status = session.session().status();
    if (!status)
        session.fail(
            "its end is said to show by a service request, which this kind of connection cannot carry: "
            "state ask and bits under [[done]]");
    constexpr int request = 0x40;
    return (*status & request) != 0;
}

void require_done(ScpiSession& session, const std::string& command, double longest_s, const char* what) {
    const auto& completions = session.instrument().dialect.completions;
    const auto polled = completions.find(command);
    if (polled == completions.end()) {
        const std::string done = session.ask(command, to_milliseconds(longest_s));
        if (done != "1") {
            session.fail(std::string("the end of the ") + what + " was announced by " + in_quotes(done) +
                         " instead of 1");
        }
        return;
    }
    const Deadline deadline(longest_s);
    const auto too_long = [&](const std::string& by) {
        session.fail(std::string("the ") + what + " was not over after " + format({longest_s, Unit::second}) +
                     " by " + by);
    };
    const bool by_request = polled->second.by_request;
    // What was requested before belongs to something else.
    if (by_request) session.session().service_requested(), session.session().status();
    session.send(command);
    while (by_request && !requested(session)) {
        if (deadline.passed()) too_long("a service request");
        clock().sleep(polled->second.every_s);
    }
    if (polled->second.ask.empty()) return;
    while (!is_over(session, polled->second, session.ask_text(polled->second.ask))) {
        if (deadline.passed()) too_long(polled->second.ask);
        clock().sleep(polled->second.every_s);
    }
}

// Forgets what was latched before this capture.
void forget_overload(ScpiSession& session) {
    if (session.knows("query_overload")) session.ask("query_overload");
}

// Overload and the error queue, read after each capture.
std::optional<std::string> read_distrust(ScpiSession& session, const char* remedy) {
    const Instrument& instrument = session.instrument();
    long long bits = 0;
    if (session.knows("query_overload")) {
        const std::string status = session.ask("query_overload");
        const auto number = parse_scpi_number(status);
        if (!number || *number < 0 || *number > 1e9)
            session.fail("the overload status is not a number: " + in_quotes(status));
        bits = static_cast<long long>(*number);
    }
    const auto errors = session.drain_errors();
    if (bits & instrument.dialect.overload_mask) return instrument.role + " overloaded: " + remedy;
    if (!errors.empty()) return instrument.role + " reported error " + errors.front();
    return std::nullopt;
}

double level_in(const Instrument& instrument, double level, Unit unit, std::optional<std::string>& distrust) {
    const Unit stated = instrument.dialect.levels;
    if (stated == Unit::none || stated == unit) return level;
    const auto doubt = [&](const std::string& text) {
        if (!distrust) distrust = text;
        return 0.0;
    };
    if (!is_decibel(stated) && !(level > 0))
        return doubt("a level of " + format({level, stated}) + " is none in decibels");
    const auto converted = instrument.impedance_ohm
                               ? convert({level, stated}, unit, {*instrument.impedance_ohm, Unit::ohm})
                               : convert({level, stated}, unit);
    if (!converted)
        return doubt("levels in " + std::string(symbol(stated)) + " become " + std::string(symbol(unit)) +
                     " by the impedance of the input: state impedance for the " + instrument.role);
    return converted->value;
}

void ReadBack::number(const std::string& what, const std::string& name, double wanted, double tolerance,
                      Unit unit, bool more_is_well, const Arguments& arguments) {
    const auto answer = asked(what, arguments);
    if (!answer) return;
    const auto value = parse_scpi_number(*answer);
    if (value && (std::abs(*value - wanted) <= tolerance || (more_is_well && *value > wanted))) return;
    tell(name, value ? format({*value, unit}) : in_quotes(*answer), format({wanted, unit}));
}

void ReadBack::word(const std::string& what, const std::string& name, const std::string& wanted) {
    const auto answer = asked(what);
    if (!answer) return;
    std::string given = lower(*answer);
    std::erase(given, '"');
    if (given == lower(wanted) || given == lower(brief_form(wanted))) return;
    tell(name, in_quotes(*answer), wanted);
}

std::optional<std::string> ReadBack::asked(const std::string& what, const Arguments& arguments) {
    return distrust_ ? std::nullopt : session_.ask_if_known("query_" + what, arguments);
}

void ReadBack::tell(const std::string& name, const std::string& is, const std::string& wanted) {
    distrust_ = session_.instrument().role + " has " + name + " " + is + ", " + wanted + " was asked for";
}

void ReadBack::format_of_numbers(const std::string& command) {
    const DataForm form = session_.instrument().dialect.form_of(command);
    if (!form.says_form.empty()) word("format", "the form of numbers", form.says_form);
    if (!form.says_order.empty()) word("byte_order", "the byte order", form.says_order);
}

}  // namespace rt::lab
