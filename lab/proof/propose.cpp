#include "lab/proof/propose.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <optional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/session/session.hpp"

namespace rt::lab {
namespace {

using std::chrono::milliseconds;

std::optional<std::string> asked(Session& session, const std::string& question, milliseconds patience) {
    session.write(question + "\n");
    if (!session.answers(patience)) return std::nullopt;
    return std::string(trim(session.read_until('\n', patience)));
}

// Questions without values that tell a dialect from others: how many of them are answered without complaint.
// A new connection for each that is not answered: what comes late is not the answer to the next.
void ask_like(const Address& address, const Dialect& dialect, milliseconds patience, Found& best) {
    std::size_t answered = 0, count = 0;
    auto session = open_session(address, patience);
    const std::string next_error = dialect.commands.at("next_error");
    for (const auto& [command, text] : dialect.commands) {
        const bool question = command.starts_with("query_") || command.starts_with("confirm_");
        const bool common =
            command == "query_power_on" || command == "query_temperature" || text.starts_with('*');
        if (!question || common || text.find('{') != std::string::npos || count == 12) continue;
        ++count;
        const auto answer = asked(*session, text, patience);
        if (!answer) {
            session = open_session(address, patience);
            continue;
        }
        // Drained, so that the complaint about one question is not heard at the next.
        bool complained = false;
        for (int i = 0; i < 16; ++i) {
            const auto entry = asked(*session, next_error, patience);
            const auto code =
                entry ? to_double(std::string_view(*entry).substr(0, entry->find(','))) : std::nullopt;
            if (!code || *code == 0) break;
            complained = true;
        }
        answered += !complained && !answer->empty();
    }
    // What it does not answer speaks against a dialect as much as what it answers speaks for it.
    const auto score = [](std::size_t good, std::size_t all) {
        return 2 * static_cast<long>(good) - static_cast<long>(all);
    };
    if (score(answered, count) <= std::max(score(best.answered, best.asked), 0L)) return;
    best.kind = dialect.kind->name, best.dialect = dialect.id;
    best.answered = answered, best.asked = count;
}

}  // namespace

std::vector<Found> ask_found(const std::vector<Sighting>& seen, const std::vector<Dialect>& dialects,
                             milliseconds patience) {
    std::vector<Found> out;
    for (const auto& sighting : seen) {
        Found found{sighting, "", "", "", "", 0, 0};
        try {
            const Address address = parse_address(sighting.address);
            if (address.kind == Address::Kind::serial) {
                found.trouble = "not asked: its rate is not known";
            } else {
                const auto first = open_session(address, patience);
                const Stopwatch watch;
                found.identity = asked(*first, "*IDN?", patience).value_or("");
                // One that says at once who it is does not think long about a setting.
                const milliseconds brief(200 + static_cast<long>(20e3 * watch.seconds()));
                if (found.identity.empty()) found.trouble = "does not say who it is";
                for (const auto& dialect : dialects) {
                    if (!found.identity.empty() && !dialect.kind->open_settings)
                        ask_like(address, dialect, std::min(patience, brief), found);
                }
            }
        } catch (const Error& error) {
            found.trouble = error.what();
        }
        out.push_back(std::move(found));
    }
    return out;
}

std::string begun_bench(const std::vector<Found>& found) {
    const auto quoted = [](const std::string& text) {
        std::string out = "\"";
        for (const char c : printable(text))
            out += c == '"' || c == '\\' ? std::string("\\") + c : std::string(1, c);
        return out + "\"";
    };
    std::string out =
        "# Begun from what answered. Roles and dialects are proposals: bench FILE --try proves them.\n\n"
        "[bench]\nname = \"\"\n";
    std::map<std::string, int> roles;
    for (const auto& one : found) {
        if (one.identity.empty()) {
            out += "\n# " + one.seen.address + ": " + printable(one.trouble) + "\n";
            continue;
        }
        const std::string kind = one.kind.empty() ? "instrument" : one.kind;
        const int number = ++roles[kind];
        out += "\n[[instrument]]\nrole = " + quoted(number == 1 ? kind : fmt::format("{}-{}", kind, number)) +
               "\nname = " + quoted(one.identity) + "\naddress = " + quoted(one.seen.address) + "\n";
        out += one.dialect.empty()
                   ? "dialect = \"\"  # none fits: dialects new " + one.seen.address + " begins one\n"
                   : fmt::format("dialect = \"{}\"  # answers {} of {} of its questions\n", one.dialect,
                                 one.answered, one.asked);
    }
    return out;
}

}  // namespace rt::lab
