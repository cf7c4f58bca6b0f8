#include "cli/try_bench.hpp"

#include <chrono>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/instrument_role.hpp"

namespace rt::cli {
namespace {

using Json = nlohmann::ordered_json;

struct Try {
    std::string command, sent, answer, trouble;
    double seconds = 0;
};

Arguments sample_arguments(const Dialect& dialect, const std::string& sample) {
    Arguments arguments;
    for (const auto part : split(sample, ' ')) {
        const auto equals = part.find('=');
        if (equals == std::string_view::npos) continue;
        std::string value(part.substr(equals + 1));
        // The first word that the dialect has for a detector.
        if (value == "@") value = dialect.detectors.empty() ? "" : dialect.detectors.begin()->second;
        arguments.emplace_back(std::string(part.substr(0, equals)), value);
    }
    return arguments;
}

// Blocks as their size, the rest as it is, not too long.
std::string shown(const std::string& answer) {
    return in_quotes(answer.substr(0, 200));
}

class Exerciser {
  public:
    explicit Exerciser(ScpiSession session) : session_(std::move(session)) {}

    std::vector<Try> run() {
        const Dialect& dialect = session_.instrument().dialect;
        for (const char* first : {"identify", "clear", "prepare"}) attempt(first, {});
        for (const auto& setting : dialect.kind->settings) {
            attempt(std::string("set_") + setting.name,
                    {{"value", setting_text(*dialect.kind, setting.name, setting.example)}});
        }
        for (const auto& command : dialect.kind->commands) {
            attempt(command.name, sample_arguments(dialect, command.sample));
        }
        for (const auto& command : common_commands()) {
            const std::string name = command.name;
            if (name == "identify" || name == "clear" || name == "prepare" || name == "next_error") continue;
            attempt(name, sample_arguments(dialect, command.sample));
        }
        for (const auto& [name, text] : dialect.commands) {
            const bool open_query = dialect.kind->open_settings && name.starts_with("query_");
            if (open_query && name != "query_temperature") attempt(name, {});
        }
        return std::move(tries_);
    }

  private:
    void attempt(const std::string& name, const Arguments& arguments) {
        if (!session_.knows(name)) return;
        Try entry;
        entry.command = name;
        const auto start = std::chrono::steady_clock::now();
        try {
            entry.sent = session_.text_of(name, arguments);
            const bool asks = entry.sent.find('?') != std::string::npos;
            const bool block =
                name == "read_trace" || name == "read_waveform" || name == "read_iq" || name == "picture";
            if (block) {
                entry.answer =
                    "a block of " + std::to_string(session_.ask_block(name, arguments).size()) + " bytes";
            } else if (asks) {
                entry.answer = shown(session_.ask(name, arguments));
            } else {
                session_.send(name, arguments);
            }
            const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - start;
            entry.seconds = passed.count();
            for (const auto& error : session_.drain_errors())
                entry.trouble += (entry.trouble.empty() ? "" : "; ") + error;
        } catch (const Error& error) {
            const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - start;
            entry.seconds = passed.count();
            entry.trouble = error.what();
        }
        tries_.push_back(std::move(entry));
    }

    ScpiSession session_;
    std::vector<Try> tries_;
};

}  // namespace

ExitCode try_bench(const Call& call, const Bench& bench, SimulatedBench& simulated) {
    const Console& console = call.console;
    const auto only = call.texts("role");
    for (const auto& role : only) {
        if (!bench.find(role))
            fail_input("--role " + role + ": the bench has no such role" + suggestion(role, bench.roles()));
    }
    bool trouble = false;
    Json list = Json::array();
    for (const auto& instrument : bench.instruments) {
        if (!only.empty() && std::find(only.begin(), only.end(), instrument.role) == only.end()) continue;
        const bool json = call.flag("json");
        if (!json) {
            console.out(console.tinted(printable(instrument.role), Tone::strong) + "  " +
                        printable(instrument.address) + ", dialect " + printable(instrument.dialect.id));
        }
        std::vector<Try> tries;
        if (instrument.place.speaks()) {
            try {
                tries = Exerciser(ScpiSession(instrument, simulated.place_of(instrument))).run();
            } catch (const Error& error) {
                if (error.kind() != ErrorKind::bench) throw;
                tries.push_back({"connect", instrument.address, "", error.what(), 0});
            }
        } else if (!json) {
            console.out("  takes no messages");
        }
        std::vector<std::vector<std::string>> rows;
        for (const auto& t : tries) {
            trouble = trouble || !t.trouble.empty();
            list.push_back({{"role", instrument.role},
                            {"command", t.command},
                            {"sent", t.sent},
                            {"answer", t.answer},
                            {"seconds", t.seconds},
                            {"trouble", t.trouble}});
            rows.push_back({t.command, printable(t.sent), decimal(t.seconds * 1000, 2) + " ms",
                            printable(t.trouble.empty() ? (t.answer.empty() ? "ok" : t.answer)
                                                        : "TROUBLE " + t.trouble)});
        }
        if (!json) {
            for (const auto& line : aligned(rows, "  ")) console.out(line);
        }
    }
    if (call.flag("json")) console.out(list.dump(2, ' ', false, Json::error_handler_t::replace));
    return trouble ? ExitCode::trouble : ExitCode::passed;
}

}  // namespace rt::cli
