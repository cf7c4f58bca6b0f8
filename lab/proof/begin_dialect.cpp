#include "lab/proof/begin_dialect.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/clock.hpp"
#include "lab/proof/header_words.hpp"
#include "lab/proof/seen_form.hpp"

namespace rt::lab {
namespace {

using std::chrono::milliseconds;
using LineEnd = BegunLine::End;

class Beginner {
  public:
    Beginner(Session& session, const Dialect& like, std::string id, milliseconds patience)
        : session_(session), like_(like), id_(std::move(id)), patience_(patience) {}

    BegunDialect run() {
        greeting();
        identity();
        error_queue();
        help();
        preparation();
        common();
        settings();
        captures();
        detectors();
        write();
        return std::move(out_);
    }

  private:
    // The answer in one line; nothing when none comes.
    std::optional<std::string> ask(const std::string& question) {
        session_.write(question + "\n");
        if (!session_.answers(patience_)) {
            get_in_step();
            return std::nullopt;
        }
        return std::string(trim(session_.read_until('\n', patience_)));
    }

    // What comes late is not the answer to the next question.
    void get_in_step() {
        if (session_.discards_late()) return;
        if (session_.clears()) return session_.clear();
        if (identify_.empty()) return;
        std::string before;
        for (int i = 0; i < 6; ++i) {
            session_.write(identify_ + "\n");
            if (!session_.answers(patience_)) return;
            const std::string now(trim(session_.read_until('\n', patience_)));
            if (now == before && now == out_.identity) break;
            before = now;
        }
        while (session_.answers(milliseconds(50))) session_.read_until('\n', patience_);
    }

    // Entries of the error queue since it was asked last; none when it has no queue.
    std::vector<std::string> errors() {
        std::vector<std::string> entries;
        for (int i = 0; i < 32 && !next_error_.empty(); ++i) {
            const auto answer = ask(next_error_);
            const auto code = answer ? to_double(std::string_view(*answer).substr(0, answer->find(','))) : 0;
            if (!code || *code == 0) break;
            entries.push_back(*answer);
        }
        return entries;
    }

    // A question that it answers without complaint.
    std::optional<std::string> accepted(const std::string& question) {
        auto answer = ask(question);
        return errors().empty() && answer && !answer->empty() ? answer : std::nullopt;
    }

    // A command that it takes without complaint. Without an error queue nobody knows.
    bool taken(const std::string& command) {
        if (next_error_.empty()) return false;
        session_.write(command + "\n");
        return errors().empty();
    }

    void greeting() {
        while (session_.answers(milliseconds(300))) {
            session_.read_until('\n', patience_);
            out_.greets = true;
        }
    }

    void note(BegunLine line) { out_.lines.push_back(std::move(line)); }

    void identity() {
        BegunLine line{"identify", "", "", {}, LineEnd::person};
        for (const std::string question : {"*IDN?", "ID?", "IDN?", "IDENtity?", "VERSion?"}) {
            line.tried.push_back(question);
            const auto answer = ask(question);
            if (!answer || answer->empty()) continue;
            identify_ = line.text = question;
            out_.identity = *answer;
            line.end = question == like_.commands.at("identify") ? LineEnd::as_like : LineEnd::other;
            break;
        }
        if (identify_.empty())
            fail_bench(session_.peer() +
                       " answers none of *IDN?, ID?, IDN?: is it another address or line end?");
        note(std::move(line));
    }

    void error_queue() {
        BegunLine line{"next_error", "", "", {}, LineEnd::person};
        for (const std::string question :
             {"SYSTem:ERRor?", "SYSTem:ERRor:NEXT?", "ERRor?", "ERR?", "STATus:ERRor?"}) {
            line.tried.push_back(question);
            const auto answer = ask(question);
            if (!answer || !to_double(std::string_view(*answer).substr(0, answer->find(',')))) continue;
            next_error_ = line.text = question;
            line.end = question == like_.commands.at("next_error") ? LineEnd::as_like : LineEnd::other;
            break;
        }
        if (!next_error_.empty()) {
            errors();
            session_.write("RARE:TALLY:NOSUCH 1\n");
            if (errors().empty()) {
                line.note = "an unknown command makes no entry";
                out_.decide.push_back(
                    "its error queue stays empty after an unknown command: what was found by trying "
                    "commands is not sure");
            }
        }
        note(std::move(line));
    }

    // SCPI-1999, volume 2, 21.8: every header, a line each.
    void help() {
        session_.write("SYSTem:HELP:HEADers?\n");
        if (!session_.answers(patience_)) return get_in_step();
        std::string text = session_.read_until('\n', patience_);
        if (text.size() > 2 && text[0] == '#' && text[1] >= '1' && text[1] <= '9') {
            const auto digits = static_cast<std::size_t>(text[1] - '0');
            const auto length = to_double(text.substr(2, digits));
            text.erase(0, std::min(2 + digits, text.size()));
            text += '\n';
            while (length && static_cast<double>(text.size()) < *length)
                text += session_.read_until('\n', patience_) + '\n';
            if (session_.answers(milliseconds(100))) session_.read_until('\n', patience_);
        }
        if (!errors().empty()) return;
        for (const auto part : split(text, '\n')) {
            const std::string header = plain_header(trim(part.substr(0, part.find('/'))));
            if (!header.empty()) headers_.push_back(header);
        }
        out_.headers = headers_.size();
    }

    // Headers that may be meant, those of the other dialect first.
    std::vector<std::string> candidates(const std::string& command) const {
        std::vector<std::string> out;
        const auto own = like_.commands.find(command);
        if (own != like_.commands.end()) out.push_back(header_of(own->second));
        for (auto& header : meant_headers(command, headers_)) out.push_back(std::move(header));
        return out;
    }

    bool required(const std::string& command) const {
        if (command.starts_with("set_") && like_.kind->find_setting(command.substr(4)))
            return like_.kind->find_setting(command.substr(4))->required;
        for (const auto& info : like_.kind->commands) {
            if (command == info.name) return info.required;
        }
        return false;
    }

    // The text of the other dialect with another header.
    static std::string with_header(const std::string& text, const std::string& header) {
        return header + text.substr(header_of(text).size());
    }

    void found_or_not(BegunLine line, const std::string& help) {
        if (line.end == LineEnd::none && required(line.command)) {
            line.end = LineEnd::person;
            out_.decide.push_back(line.command + ": " + help);
        }
        note(std::move(line));
    }

    // Part by part: what it does not know of it is left out.
    void preparation() {
        const auto own = like_.commands.find("prepare");
        if (own == like_.commands.end()) return;
        BegunLine line{"prepare", "", "", {}, LineEnd::none};
        std::string refused;
        for (const auto part : split(own->second, ';')) {
            std::string text(trim(part));
            if (text.starts_with(':')) text.erase(0, 1);
            line.tried.push_back(text);
            if (taken(text)) {
                line.text += (line.text.empty() ? "" : ";:") + text;
            } else {
                refused += (refused.empty() ? "" : ", ") + text;
            }
        }
        line.end = line.text == own->second ? LineEnd::as_like
                   : line.text.empty()      ? LineEnd::none
                                            : LineEnd::other;
        if (!refused.empty()) line.note = "does not take " + refused;
        note(std::move(line));
    }

    // Commands without values and questions of every kind.
    void common() {
        for (const char* command : {"clear", "wait", "query_power_on", "query_overload", "query_corrected",
                                    "query_external_reference", "query_temperature", "query_preamble"}) {
            const auto own = like_.commands.find(command);
            if (own == like_.commands.end()) continue;
            BegunLine line{command, "", "", {}, LineEnd::none};
            for (const auto& header : candidates(command)) {
                const bool asks = own->second.find('?') != std::string::npos;
                const std::string text = header == header_of(own->second) ? own->second
                                         : asks && !header.ends_with('?') ? header + "?"
                                                                          : header;
                line.tried.push_back(text);
                if (asks ? !accepted(text) : !taken(text)) continue;
                line.text = text;
                line.end = text == own->second ? LineEnd::as_like : LineEnd::other;
                break;
            }
            found_or_not(std::move(line), "a question or command of every instrument");
        }
    }

    // Set to what it says that it has: nothing changes.
    void settings() {
        std::vector<std::pair<std::string, std::string>> all;
        for (const auto& setting : like_.kind->settings)
            all.emplace_back(std::string("set_") + setting.name, setting.help);
        for (const auto& info : like_.kind->commands) {
            if (std::string_view(info.name).starts_with("set_") && info.name != std::string("set_detector"))
                all.emplace_back(info.name, info.help);
        }
        for (const auto& [command, help] : all) {
            const auto own = like_.commands.find(command);
            if (own == like_.commands.end()) continue;
            BegunLine line{command, "", "", {}, LineEnd::none};
            std::string question;
            for (const auto& header : candidates(command)) {
                line.tried.push_back(header);
                const std::string asked = channelled(header) + "?";
                const auto answer = accepted(asked);
                if (!answer) continue;
                const std::string set =
                    own->second.find("{channel}") == std::string::npos ? header + " " + *answer : "";
                if (!set.empty() && !taken(set)) {
                    line.note = "answers " + asked + " with " + *answer + ", and does not take that back";
                    continue;
                }
                line.note = "has " + *answer + (set.empty() ? "" : ", and takes that back");
                line.text = with_header(own->second, header);
                line.end = line.text == own->second ? LineEnd::as_like : LineEnd::other;
                question = header + "?";
                break;
            }
            const bool other = line.end == LineEnd::other;
            found_or_not(line, help);
            // The question goes with it.
            for (const std::string& name : {"query_" + command.substr(4), "confirm_" + command.substr(4)}) {
                if (!like_.commands.contains(name)) continue;
                if (other) note({name, question, "", {}, LineEnd::other});
                if (question.empty()) note({name, "", "", {}, LineEnd::none});
            }
        }
    }

    static std::string channelled(std::string header) {
        for (const std::string_view hole : {"{channel}", "{sensor}"}) {
            if (const auto at = header.find(hole); at != std::string::npos)
                header.replace(at, hole.size(), "1");
        }
        return header;
    }

    void captures() {
        for (const std::string command : {"sweep", "acquire"}) {
            const auto own = like_.commands.find(command);
            if (own != like_.commands.end()) one_capture(command, own->second);
        }
        for (const std::string command : {"read_trace", "read_waveform"}) {
            const auto own = like_.commands.find(command);
            if (own != like_.commands.end()) data(command, own->second);
        }
        if (const auto own = like_.commands.find("read_power"); own != like_.commands.end()) {
            BegunLine line{"read_power", "", "", {}, LineEnd::none};
            for (const auto& header : candidates("read_power")) {
                const std::string text = header.find('?') == std::string::npos ? header + "?" : header;
                line.tried.push_back(text);
                const auto answer = accepted(channelled(text));
                if (!answer || !parse_scpi_number(*answer)) continue;
                line.text = header == header_of(own->second) ? own->second : text;
                line.end = line.text == own->second ? LineEnd::as_like : LineEnd::other;
                line.note = "reads " + *answer;
                break;
            }
            found_or_not(std::move(line), "one reading");
        }
    }

    void one_capture(const std::string& command, const std::string& own) {
        BegunLine line{command, "", "", {}, LineEnd::none};
        for (const auto& header : candidates(command)) {
            if (header.ends_with('?')) continue;
            const std::string text = header == header_of(own) ? own : header + ";*OPC?";
            line.tried.push_back(text);
            const Stopwatch watch;
            const auto answer = accepted(text);
            if (answer != "1") continue;
            line.text = text;
            line.end = text == own ? LineEnd::as_like : LineEnd::other;
            line.note = fmt::format("over after {:.3g} s", watch.seconds());
            break;
        }
        found_or_not(std::move(line), "starts one, and answers 1 when it is over (or see [[done]])");
    }

    // What an answer consists of, against the number of points that it says.
    void data(const std::string& command, const std::string& own) {
        BegunLine line{command, "", "", {}, LineEnd::none};
        const double points = points_of();
        for (const auto& header : candidates(command)) {
            const std::string text =
                header == header_of(own) ? own : header + (header.ends_with('?') ? "" : "?");
            line.tried.push_back(text);
            session_.write(channelled(text) + "\n");
            if (!session_.answers(patience_)) {
                get_in_step();
                errors();
                continue;
            }
            const std::string bytes = whole_answer();
            if (!errors().empty() || bytes.empty()) continue;
            const std::string form = form_of(command, bytes, points);
            if (form.empty()) continue;
            line.text = text;
            line.end = text == own ? LineEnd::as_like : LineEnd::other;
            line.note = form;
            break;
        }
        found_or_not(std::move(line), "the numbers");
    }

    double points_of() {
        for (const auto& line : out_.lines) {
            if (line.command != "set_points" || (line.end != LineEnd::as_like && line.end != LineEnd::other))
                continue;
            if (const auto answer = accepted(header_of(line.text) + "?"))
                return parse_scpi_number(*answer).value_or(0);
        }
        return 0;
    }

    std::string whole_answer() {
        std::string head = session_.read_exactly(1, patience_);
        if (head != "#") return head + session_.read_until('\n', patience_);
        head += session_.read_exactly(1, patience_);
        if (head[1] == '0') return head + session_.read_until('\n', patience_);
        const auto digits = static_cast<std::size_t>(head[1] - '0');
        const std::string length = session_.read_exactly(digits, patience_);
        const auto size = to_double(length);
        if (!size || *size > 6.4e7) return {};
        const std::string body = session_.read_exactly(static_cast<std::size_t>(*size), patience_);
        session_.read_until('\n', patience_);
        return head + length + body;
    }

    // "" for what is no data. Sets out_.data where the form is another than that of the other dialect.
    std::string form_of(const std::string& command, const std::string& answer, double points) {
        const SeenForm seen = seen_form(answer, points);
        if (seen.size_unknown) out_.decide.push_back("[[data]]: its form cannot be seen: " + seen.words);
        if (seen.keys.empty()) return seen.words;
        out_.data = "[[data]]\nfor = [\"" + command + "\"]\n" + seen.keys + (seen.scaled ? scale_text() : "");
        return seen.words;
    }

    // Which field of a preamble is what stays for a person; what there is, is told.
    std::string scale_text() {
        for (const auto& header : candidates("query_preamble")) {
            const std::string question = header.ends_with('?') ? header : header + "?";
            const auto answer = accepted(channelled(question));
            if (!answer || answer->find(',') == std::string::npos) continue;
            note({"query_preamble", question, "answers " + *answer, {}, LineEnd::other});
            out_.decide.push_back("[[data]] scale: which field of " + question + " is which; it answers " +
                                  *answer);
            return "scale = { points = 1, increment = 2, origin = 3, reference = 4 }  # of " + *answer + "\n";
        }
        out_.decide.push_back(
            "[[data]] scale: what one step of its whole numbers stands for; no preamble was found");
        return "scale = {}  # needs query_increment or query_preamble\n";
    }

    void detectors() {
        const auto own = like_.commands.find("set_detector");
        if (own == like_.commands.end()) return;
        BegunLine line{"set_detector", "", "", {}, LineEnd::none};
        for (const auto& header : candidates("set_detector")) {
            line.tried.push_back(header);
            const auto answer = accepted(header + "?");
            if (!answer) continue;
            line.text = with_header(own->second, header);
            line.end = line.text == own->second ? LineEnd::as_like : LineEnd::other;
            line.note = "has " + *answer;
            for (const auto& [detector, word] : like_.detectors) {
                if (!taken(header + " " + word)) out_.detectors_refused.push_back(detector);
            }
            taken(header + " " + *answer);
            if (line.end == LineEnd::other) note({"query_detector", header + "?", "", {}, LineEnd::other});
            break;
        }
        if (out_.detectors_refused.size() == like_.detectors.size())
            out_.decide.push_back("[detectors]: its words for them; it refuses those of " + like_.id);
        found_or_not(std::move(line), "the detector");
    }

    static std::string quoted(const std::string& text) {
        std::string out;
        for (const char c : text) out += c == '"' || c == '\\' ? std::string("\\") + c : std::string(1, c);
        return '"' + out + '"';
    }

    void write() {
        std::string& t = out_.text;
        t = "# Begun by asking the instrument. What it says of itself: " + printable(out_.identity) + "\n";
        if (!out_.decide.empty()) {
            t += "# To be decided, then undecided is taken out:\n";
            for (const auto& what : out_.decide) t += "# - " + printable(what) + "\n";
        }
        t += "\n[dialect]\nid = " + quoted(id_) + "\ntitle = " + quoted(out_.identity) + "\nkind = \"" +
             like_.kind->name + "\"\nlike = " + quoted(like_.id) + "\n";
        if (out_.greets) t += "greets = true\n";
        if (!out_.decide.empty()) t += fmt::format("undecided = {}\n", out_.decide.size());
        t += "\n[commands]\n";
        for (const auto& line : out_.lines) {
            if (line.end == LineEnd::as_like) continue;
            std::string tried;
            for (const auto& text : line.tried) tried += (tried.empty() ? "" : ", ") + text;
            if (line.end == LineEnd::person)
                t += "# " + line.command + ": none of " + printable(tried) + " works\n";
            if (line.end == LineEnd::person) continue;
            t += line.command + " = " + quoted(line.text) +
                 (line.note.empty() ? "" : "  # " + printable(line.note)) + "\n";
        }
        if (!out_.data.empty()) t += "query_format = \"\"\nquery_byte_order = \"\"\n\n" + out_.data;
        if (!out_.detectors_refused.empty()) {
            t += "\n[detectors]\n";
            for (const auto& detector : out_.detectors_refused)
                t += detector + " = \"\"  # its word, or nothing\n";
        }
    }

    Session& session_;
    const Dialect& like_;
    std::string id_;
    milliseconds patience_;
    std::string identify_, next_error_;
    std::vector<std::string> headers_;
    BegunDialect out_;
};

}  // namespace

BegunDialect begin_dialect(Session& session, const Dialect& like, const std::string& id,
                           milliseconds patience) {
    return Beginner(session, like, id, patience).run();
}

}  // namespace rt::lab
