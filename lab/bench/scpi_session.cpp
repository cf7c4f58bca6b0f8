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

ScpiSession::ScpiSession(const Instrument& instrument, const Address& address, TrafficLog* traffic)
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
    constexpr std::string_view shared = "shared:";
    if (!instrument.lock.empty())
        session_->lock(instrument.lock.starts_with(shared) ? instrument.lock.substr(shared.size()) : "",
                       timeout_);
}

// A connection that is already broken takes its locks with it.
ScpiSession::~ScpiSession() {
    if (!session_) return;
    try {
        if (!instrument_->lock.empty()) session_->unlock();
        if (instrument_->to_local) session_->to_local();
    } catch (const Error&) {
        return;
    }
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

std::string ScpiSession::fill(const CommandText& parts, const Arguments& arguments) const {
    const char quote = instrument_->dialect.quote;
    std::string text;
    bool quoted = false;
    const auto put = [&](const std::string& value, bool word) {
        const bool stands = !word || quoted || quote == '\0' || stands_unquoted(value);
        if (!stands) text += quote;
        for (const char c : value) {
            text += c;
            // A quote within string data is doubled (IEEE 488.2, 7.7.5).
            if ((quoted || !stands) && c == quote) text += c;
        }
        if (!stands) text += quote;
    };
    for (std::size_t i = 0; i < parts.texts.size(); ++i) {
        if (quote != '\0' && std::count(parts.texts[i].begin(), parts.texts[i].end(), quote) % 2 != 0)
            quoted = !quoted;
        text += parts.texts[i];
        if (i == parts.holes.size()) break;
        const Placeholder& hole = parts.holes[i];
        const auto given = std::find_if(arguments.begin(), arguments.end(),
                                        [&](const auto& argument) { return argument.first == hole.name; });
        if (given != arguments.end()) {
            put(hole.fill(given->second), given->first == "value");
        } else if (hole.name == "channel") {
            put(std::to_string(instrument_->channel), false);
        } else {
            fail_input(instrument_->dialect.file.string(), "nothing is given for {" + hole.name + "}");
        }
    }
    return text;
}

std::string ScpiSession::text_of(const std::string& command, const Arguments& arguments) const {
    const Dialect& dialect = instrument_->dialect;
    const auto at = dialect.commands.find(command);
    if (at == dialect.commands.end()) {
        fail_input(dialect.file.string(), "the dialect has no command \"" + command + "\", which role " +
                                              instrument_->role + " needs");
    }
    for (const auto& [name, value] : arguments) {
        if (name != "block") require_sendable("{" + name + "}", value);
    }
    const SettingInfo* setting =
        command.starts_with("set_") ? dialect.kind->find_setting(command.substr(4)) : nullptr;
    return fill(parse_command(at->second, setting ? setting->unit : Unit::none), arguments);
}

template <class Do>
auto ScpiSession::told(Do act) {
    try {
        return act();
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
        fail_bench(std::string(error.what()) + ", command " + in_quotes(last_));
    }
}

void ScpiSession::send(const std::string& command, const Arguments& arguments) {
    send_text(text_of(command, arguments));
}

void ScpiSession::send_text(const std::string& text) {
    const Lock lock(*mutex_);
    if (traffic_) traffic_->sent(instrument_->role, text.substr(0, 1000));
    // Without the bytes of a block.
    constexpr std::size_t longest = 80;
    last_ = text.substr(0, std::min(longest, text.find('#')));
    told([&] { session_->write(text + "\n"); });
}

// Blank lines are no answers: some instruments end a line with two characters of their own.
std::string ScpiSession::answer(milliseconds timeout) {
    const Deadline deadline(static_cast<double>(timeout.count()) / 1000);
    for (auto left = timeout;; left = std::max(to_milliseconds(deadline.left()), milliseconds(1))) {
        const std::string line = told([&] { return session_->read_until('\n', left); });
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
    send_text(question);
    return answer(timeout_);
}

std::string ScpiSession::ask(const std::string& command, milliseconds timeout) {
    const Lock lock(*mutex_);
    send(command);
    return answer(timeout);
}

std::optional<std::string> ScpiSession::ask_if_known(const std::string& command, const Arguments& arguments) {
    return knows(command) ? ask_text_if_known(text_of(command, arguments)) : std::nullopt;
}

std::optional<std::string> ScpiSession::ask_text_if_known(const std::string& question) {
    if (unanswered_.contains(question)) return std::nullopt;
    const Lock lock(*mutex_);
    send_text(question);
    constexpr milliseconds longest(2000);
    if (session_->answers(std::min(timeout_, longest))) return answer(timeout_);
    unanswered_.insert(question);
    get_in_step();
    // What it says of an unknown question (a command error, -100 to -199) is no trouble; other entries stay.
    for (auto& entry : drain_errors()) {
        const auto code = to_double(std::string_view(entry).substr(0, entry.find(',')));
        if (!code || *code > -100 || *code <= -200) set_aside_.push_back(std::move(entry));
    }
    return std::nullopt;
}

// After a question that nothing answered: what it may still answer is not to be taken for the next one's.
void ScpiSession::get_in_step() {
    if (session_->discards_late()) return;
    if (session_->clears()) return session_->clear();
    // Questions are answered in their order: once it says who it is, everything before has been said. It is
    // asked twice, since what comes first may be the late answer to a question of the same kind.
    const Deadline deadline(static_cast<double>(timeout_.count()) / 1000);
    const auto ask_identity = [&] {
        send("identify");
        return answer(timeout_);
    };
    std::string before = ask_identity();
    for (;;) {
        std::string now = ask_identity();
        if (now == before && (identity_.empty() || now == identity_)) break;
        if (deadline.passed()) fail("its answers do not fit the questions any more: it is out of step");
        before = std::move(now);
    }
    // One more may be on its way: the two answers that were alike came to the two questions asked last.
    constexpr milliseconds quiet(50);
    while (session_->answers(quiet)) answer(timeout_);
}

std::string ScpiSession::identify() {
    identity_ = ask("identify");
    return identity_;
}

void ScpiSession::require_in_step() {
    const Lock lock(*mutex_);
    const std::string now = ask("identify");
    if (identity_.empty()) identity_ = now;
    if (now != identity_)
        fail("its answers do not fit the questions any more: asked who it is it says " +
             in_quotes(now.substr(0, 60)));
}

std::string ScpiSession::ask_block(const std::string& command, const Arguments& arguments,
                                   std::optional<std::size_t> expected) {
    const Lock lock(*mutex_);
    send(command, arguments);
    const std::string head = told([&] { return session_->read_exactly(2, timeout_); });
    if (head == "#0" && expected) {
        // Of indefinite length (IEEE 488.2, 8.7.10): its end is the end of the answer, so that what follows
        // the bytes that were expected must be that.
        std::string bytes = told([&] { return session_->read_exactly(*expected, timeout_); });
        if (traffic_)
            traffic_->received(instrument_->role, "a block of " + std::to_string(bytes.size()) + " bytes");
        if (const auto more = told([&] { return session_->read_until('\n', timeout_); }); !trim(more).empty())
            fail("the block for " + command + " is longer than the " + std::to_string(*expected) +
                 " bytes that were expected");
        return bytes;
    }
    if (head[0] != '#' || head[1] < '1' || head[1] > '9') {
        fail("a data block was expected for " + command + ", the answer begins with " + in_quotes(head));
    }
    const std::string digits =
        told([&] { return session_->read_exactly(static_cast<std::size_t>(head[1] - '0'), timeout_); });
    const auto length = to_double(digits);
    if (!length || digits.find_first_not_of("0123456789") != std::string::npos) {
        fail("the length of a data block is not a number: " + in_quotes(digits));
    }
    std::string bytes =
        told([&] { return session_->read_exactly(static_cast<std::size_t>(*length), timeout_); });
    if (traffic_) traffic_->received(instrument_->role, "a block of " + digits + " bytes");
    told([&] { return session_->read_until('\n', timeout_); });
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

std::string ScpiSession::ask_alone(const std::string& command, const Arguments& arguments) {
    const Lock lock(*mutex_);
    require_in_step();
    return ask(command, arguments);
}

double ScpiSession::ask_number(const std::string& command, const Arguments& arguments) {
    const std::string text = ask_alone(command, arguments);
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
        if (*code == 0) {
            // Another text than before is the answer to another question.
            if (no_error_.empty()) no_error_ = answer;
            if (answer != no_error_)
                fail("the error queue answers " + in_quotes(answer) + ", before it was " +
                     in_quotes(no_error_) + ": its answers do not fit the questions");
            break;
        }
        errors.push_back(answer);
    }
    return errors;
}

}  // namespace rt::lab
