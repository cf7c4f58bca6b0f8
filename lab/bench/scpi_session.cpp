#include "lab/bench/scpi_session.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cctype>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/clock.hpp"

namespace rt::lab {

using std::chrono::milliseconds;
using Lock = std::lock_guard<std::recursive_mutex>;

ScpiSession::ScpiSession(const Instrument& instrument, const std::string& address, TrafficLog* traffic)
    : ScpiSession(instrument, open_session(address, to_milliseconds(instrument.timeout_s)), traffic) {}

ScpiSession::ScpiSession(const Instrument& instrument, std::unique_ptr<Session> session, TrafficLog* traffic)
    : instrument_(&instrument),
      timeout_(to_milliseconds(instrument.timeout_s)),
      session_(std::move(session)),
      traffic_(traffic) {
    session_->name_peer(instrument.role);
    const Dialect& dialect = instrument.dialect;
    if (dialect.wake_s > 0) clock().sleep(dialect.wake_s);
    constexpr milliseconds quiet(200);
    while (dialect.greets && session_->answers(quiet)) session_->read_until('\n', quiet);
}

// Character data (a letter, then letters, digits and underscores) and numbers with or without a suffix stand
// as they are; everything else is string data (IEEE 488.2, 7.7).
static bool stands_unquoted(std::string_view value) {
    if (value.empty()) return false;
    const auto letter = [](char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0; };
    const auto inside = [&](char c) { return letter(c) || (c >= '0' && c <= '9') || c == '_'; };
    if (letter(value.front())) return std::all_of(value.begin(), value.end(), inside);
    const auto end = std::min(value.find(' '), value.size());
    const auto number = value.find_last_of("0123456789.");
    if (number == std::string_view::npos) return false;
    const auto suffix = trim(value.substr(std::min(number + 1, value.size())));
    return to_double(value.substr(0, std::min(end, number + 1))).has_value() &&
           std::all_of(suffix.begin(), suffix.end(), letter);
}

void require_sendable(const std::string& name, const std::string& value) {
    const auto control = [](unsigned char c) { return c < 0x20 || c == 0x7f || c == ';'; };
    if (std::any_of(value.begin(), value.end(), control)) {
        fail_input("the value " + in_quotes(value) + " for " + name +
                   " holds control characters or a semicolon");
    }
}

void ScpiSession::fail(const std::string& message) const {
    fail_bench(instrument_->role + ": " + message);
}

std::string ScpiSession::text_of(const std::string& command, const Arguments& arguments) const {
    const auto at = instrument_->dialect.commands.find(command);
    if (at == instrument_->dialect.commands.end()) {
        fail_input(instrument_->dialect.file.string(), "the dialect has no command \"" + command +
                                                           "\", which role " + instrument_->role + " needs");
    }
    for (const auto& [name, value] : arguments) require_sendable("{" + name + "}", value);
    std::string text;
    std::string_view rest = at->second;
    bool quoted = false;
    while (!rest.empty()) {
        bool filled = false;
        for (const auto& [name, value] : arguments) {
            const std::string hole = "{" + name + "}";
            if (!rest.starts_with(hole)) continue;
            const bool word = name == "value" && !quoted && !stands_unquoted(value);
            if (word) text += '"';
            for (const char c : value) {
                text += c;
                if ((quoted || word) && c == '"')
                    text += c;  // a quote within string data is doubled (IEEE 488.2, 7.7.5)
            }
            if (word) text += '"';
            rest.remove_prefix(hole.size());
            filled = true;
            break;
        }
        if (filled) continue;
        if (rest.front() == '"') quoted = !quoted;
        text += rest.front();
        rest.remove_prefix(1);
    }
    return text;
}

void ScpiSession::send(const std::string& command, const Arguments& arguments) {
    const std::string text = text_of(command, arguments);
    const Lock lock(*mutex_);
    if (traffic_) traffic_->sent(instrument_->role, text);
    session_->write(text + "\n");
}

// Blank lines are no answers: some instruments end a line with two characters of their own.
std::string ScpiSession::answer(milliseconds timeout) {
    const Deadline deadline(static_cast<double>(timeout.count()) / 1000);
    for (auto left = timeout;; left = std::max(to_milliseconds(deadline.left()), milliseconds(1))) {
        const std::string line = session_->read_until('\n', left);
        if (traffic_) traffic_->received(instrument_->role, line);
        if (const auto text = trim(line); !text.empty()) return std::string(text);
    }
}

std::string ScpiSession::ask(const std::string& command, const Arguments& arguments) {
    const Lock lock(*mutex_);
    send(command, arguments);
    return answer(timeout_);
}

std::string ScpiSession::ask_text(const std::string& question) {
    const Lock lock(*mutex_);
    if (traffic_) traffic_->sent(instrument_->role, question);
    session_->write(question + "\n");
    return answer(timeout_);
}

std::string ScpiSession::ask(const std::string& command, milliseconds timeout) {
    const Lock lock(*mutex_);
    send(command);
    return answer(timeout);
}

std::optional<std::string> ScpiSession::ask_if_known(const std::string& command) {
    if (!knows(command) || unanswered_.contains(command)) return std::nullopt;
    const Lock lock(*mutex_);
    send(command);
    constexpr milliseconds longest(2000);
    if (session_->answers(std::min(timeout_, longest))) return answer(timeout_);
    unanswered_.insert(command);
    // What it says of an unknown question (a command error, -100 to -199) is no trouble; other entries stay.
    for (auto& entry : drain_errors()) {
        const auto code = to_double(std::string_view(entry).substr(0, entry.find(',')));
        if (!code || *code > -100 || *code <= -200) set_aside_.push_back(std::move(entry));
    }
    return std::nullopt;
}

std::string ScpiSession::ask_block(const std::string& command, const Arguments& arguments,
                                   std::optional<std::size_t> expected) {
    const Lock lock(*mutex_);
    send(command, arguments);
    const std::string head = session_->read_exactly(2, timeout_);
    if (head == "#0" && expected) {
        // Of indefinite length (IEEE 488.2, 8.7.10): its end is the end of the answer, so that what follows
        // the bytes that were expected must be that.
        std::string bytes = session_->read_exactly(*expected, timeout_);
        if (traffic_)
            traffic_->received(instrument_->role, "a block of " + std::to_string(bytes.size()) + " bytes");
        if (const auto more = session_->read_until('\n', timeout_); !trim(more).empty())
            fail("the block for " + command + " is longer than the " + std::to_string(*expected) +
                 " bytes that were expected");
        return bytes;
    }
    if (head[0] != '#' || head[1] < '1' || head[1] > '9') {
        fail("a data block was expected for " + command + ", the answer begins with " + in_quotes(head));
    }
    const std::string digits = session_->read_exactly(static_cast<std::size_t>(head[1] - '0'), timeout_);
    const auto length = to_double(digits);
    if (!length || digits.find_first_not_of("0123456789") != std::string::npos) {
        fail("the length of a data block is not a number: " + in_quotes(digits));
    }
    std::string bytes = session_->read_exactly(static_cast<std::size_t>(*length), timeout_);
    if (traffic_) traffic_->received(instrument_->role, "a block of " + digits + " bytes");
    session_->read_until('\n', timeout_);
    return bytes;
}

std::vector<double> ScpiSession::ask_numbers(const std::string& command, const Arguments& arguments,
                                             std::size_t count, const char* what, const DataForm& otherwise) {
    const DataForm form = instrument_->dialect.form_of(command, otherwise);
    const std::size_t size = bytes_of(form.form);
    std::string data;
    if (size == 0) {
        data = ask(command, arguments);
    } else {
        data = ask_block(command, arguments, count * size);
        if (data.size() != count * size)
            fail(fmt::format("the {} has {} bytes, {} points of {} bytes were expected", what, data.size(),
                             count, size));
    }
    auto numbers = decode_numbers(data, form);
    if (!numbers) fail(std::string("the ") + what + " holds something that is no number");
    if (numbers->size() != count)
        fail(fmt::format("the {} has {} numbers, {} were expected", what, numbers->size(), count));
    if (form.scale) scale(*numbers, *form.scale, arguments);
    return std::move(*numbers);
}

double ScpiSession::scale_term(const std::vector<std::string>& fields, std::size_t field, const char* command,
                               double otherwise, const Arguments& arguments) {
    if (field == 0) return knows(command) ? ask_number(command, arguments) : otherwise;
    if (field > fields.size())
        fail(fmt::format("the preamble has {} fields, the dialect names field {}", fields.size(), field));
    const auto value = parse_scpi_number(fields[field - 1]);
    if (!value)
        fail("field " + std::to_string(field) +
             " of the preamble is no number: " + in_quotes(fields[field - 1]));
    return *value;
}

void ScpiSession::scale(std::vector<double>& numbers, const DataForm::Scale& scale,
                        const Arguments& arguments) {
    std::vector<std::string> fields;
    if (scale.increment || scale.origin || scale.reference || scale.points) {
        const std::string answer = ask("query_preamble", arguments);
        for (const auto part : split(answer, ',')) fields.emplace_back(trim(part));
    }
    const double increment = scale_term(fields, scale.increment, "query_increment", 1, arguments);
    const double origin = scale_term(fields, scale.origin, "query_origin", 0, arguments);
    const double reference = scale_term(fields, scale.reference, "query_reference", 0, arguments);
    if (increment == 0) fail("one step of its numbers stands for nothing: the increment is 0");
    if (scale.points) {
        const double points = scale_term(fields, scale.points, "", 0, arguments);
        if (points != static_cast<double>(numbers.size()))
            fail(fmt::format("the preamble is of {} points, {} came", exact(points), numbers.size()));
    }
    for (double& number : numbers) number = (number - reference) * increment + origin;
}

double ScpiSession::ask_number(const std::string& command, const Arguments& arguments) {
    const std::string text = ask(command, arguments);
    const auto value = parse_scpi_number(text);
    if (!value) fail("answers " + in_quotes(text) + " to " + command + ", a number was expected");
    return *value;
}

std::vector<std::string> ScpiSession::drain_errors() {
    const Lock lock(*mutex_);
    std::vector<std::string> errors = std::exchange(set_aside_, {});
    for (int i = 0; i < 32; ++i) {
        const std::string answer = ask("next_error");
        const auto code = to_double(std::string_view(answer).substr(0, answer.find(',')));
        if (!code) fail("the error queue answers " + in_quotes(answer) + " instead of a number and a text");
        if (*code == 0) break;
        errors.push_back(answer);
    }
    return errors;
}

}  // namespace rt::lab
