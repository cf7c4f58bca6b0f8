#include "lab/proof/prove.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"

namespace rt::lab {

using StepEnd = ProofStep::End;

const char* name(StepEnd end) {
    switch (end) {
        case StepEnd::proven:
            return "proven";
        case StepEnd::answered:
            return "answered";
        case StepEnd::odd:
            return "odd";
        case StepEnd::refused:
            return "refused";
        case StepEnd::left_out:
            return "left out";
    }
    return "";
}

std::size_t Proof::count(StepEnd end) const {
    return static_cast<std::size_t>(
        std::count_if(steps.begin(), steps.end(), [&](const ProofStep& step) { return step.end == end; }));
}

namespace {

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

class Prover {
  public:
    Prover(const Instrument& instrument, const Address& place, TrafficLog* traffic, const ProofLeave& leave,
           Proof& proof)
        : instrument_(instrument),
          dialect_(instrument.dialect),
          place_(place),
          traffic_(traffic),
          leave_(leave),
          proof_(proof) {
        connect();
    }

    void run() {
        identity();
        error_queue();
        tried_ = {"identify", "clear", "prepare", "next_error", "recall", "wait"};
        settings();
        pairs();
        detectors();
        captures();
        waveform();
        rest();
        states();
        step("identity", "identify", "still in step, and prepared again", [&](ProofStep& s) {
            session().require_in_step();
            role_->prepare();
            s.end = StepEnd::proven;
        });
    }

  private:
    // One step, timed; trouble with the instrument ends it, not the proof.
    template <class Do>
    void step(const char* group, const std::string& command, const std::string& sent, Do act) {
        ProofStep out{group, command, sent, "", "", StepEnd::answered, 0};
        const Stopwatch watch;
        try {
            if (!role_) connect();
            act(out);
            out.seconds = watch.seconds();
            if (out.end != StepEnd::left_out) hear(out);
        } catch (const Error& error) {
            out.seconds = watch.seconds();
            out.end = StepEnd::refused;
            out.note = error.what();
            revive();
        }
        proof_.steps.push_back(std::move(out));
    }

    // What the error queue says of it.
    void hear(ProofStep& out) {
        for (const auto& entry : session().drain_errors()) {
            out.end = StepEnd::refused;
            out.note += (out.note.empty() ? "" : "; ") + entry;
        }
    }

    // After a wait that was too long the connection may be over: the next steps are to be tried nevertheless.
    void revive() {
        role_.reset();
        try {
            connect();
            session().drain_errors();
        } catch (const Error&) {
            return;  // the next step tells
        }
    }

    void connect() { role_.emplace(ScpiSession(instrument_, place_, traffic_)); }
    // Also while nobody is connected.
    std::string text_of(const std::string& command, const Arguments& arguments) {
        try {
            return role_ ? session().text_of(command, arguments) : dialect_.commands.at(command);
        } catch (const Error& error) {
            return error.what();
        }
    }
    ScpiSession& session() { return role_->session(); }

    void leave_out(const char* group, const std::string& command, const std::string& why) {
        tried_.insert(command);
        proof_.steps.push_back({group, command, "", "", why, StepEnd::left_out, 0});
    }

    void identity() {
        step("identity", "identify", text_of("identify", {}), [&](ProofStep& s) {
            proof_.identity = s.answer = role_->identify();
            std::vector<double> times;
            constexpr int often = 21;
            for (int i = 0; i < often; ++i) {
                const Stopwatch watch;
                session().require_in_step();
                times.push_back(watch.seconds());
            }
            std::nth_element(times.begin(), times.begin() + often / 2, times.end());
            proof_.round_trip_s = times[often / 2];
            s.end = StepEnd::proven;
            s.note = fmt::format("{} times alike, {:.2f} ms each", often + 1, 1000 * proof_.round_trip_s);
        });
    }

    // What it refuses must show: a command that nobody has makes an entry.
    void error_queue() {
        const std::string nonsense = "RARE:TALLY:NOSUCH 1";
        step("error queue", "next_error", nonsense, [&](ProofStep& s) {
            session().drain_errors();
            session().send_text(nonsense);
            const auto entries = session().drain_errors();
            s.end = entries.empty() ? StepEnd::odd : StepEnd::proven;
            s.answer = entries.empty() ? "" : entries.front();
            if (entries.empty())
                s.note =
                    "a command that it cannot know makes no entry: what it refuses will not be noticed, "
                    "unless a setting is read back";
        });
    }

    // Why a setting is not tried; "" when it is. `value` may come down to what there is leave for.
    std::string no_leave(const std::string& setting, std::string& value) const {
        const std::string kind = dialect_.kind->name;
        if (kind == "positioner" && !leave_.movement) return "it moves: allow it with --allow movement";
        const bool feeds = kind == "supply" || kind == "switch";
        if (feeds && !leave_.outputs) return "it feeds what is connected: allow it with --allow outputs";
        const bool sends =
            setting == "output" || (std::string_view(dialect_.kind->name) == "cellular-tester" &&
                                    (setting == "cell" || setting == "connection"));
        if (sends && !feeds) value = leave_.outputs ? "ON" : "OFF";
        const SettingInfo* info = dialect_.kind->find_setting(setting);
        if (info && info->unit == Unit::dbm) {
            const Quantity wanted = parse_quantity(value, Unit::dbm);
            if (wanted.value > leave_.most_level.value) value = format_exact(leave_.most_level);
        }
        return "";
    }

    void settings() {
        if (dialect_.kind->open_settings) {
            for (const auto& [command, text] : dialect_.commands) {
                if (command.starts_with("set_"))
                    leave_out("settings", command, "the values of a unit are its own: a campaign sets it");
            }
        }
        for (const auto& info : dialect_.kind->settings) {
            const std::string command = std::string("set_") + info.name;
            const Together* group = dialect_.sent_together(info.name);
            if (!dialect_.knows(command) && !group) continue;
            std::string value = info.example;
            if (const auto why = no_leave(info.name, value); !why.empty()) {
                leave_out("settings", command, why);
                continue;
            }
            if (group) {
                if (group->settings.front() == info.name) together(*group);
                tried_.insert(command);
                continue;
            }
            tried_.insert(command), tried_.insert(std::string("confirm_") + info.name);
            const Arguments arguments{{"value", setting_text(*dialect_.kind, info.name, value)}};
            step("settings", command, text_of(command, arguments),
                 [&](ProofStep& s) { set_and_confirm(s, info.name, value); });
        }
    }

    void set_and_confirm(ProofStep& s, const std::string& setting, const std::string& value) {
        role_->begin(setting, value);
        confirm(s, {setting});
    }

    void confirm(ProofStep& s, const std::vector<std::string>& settings) {
        s.note = role_->settle();
        if (s.note.empty()) s.note = role_->read_back();
        const bool asks = std::all_of(settings.begin(), settings.end(), [&](const std::string& setting) {
            return dialect_.knows("confirm_" + setting) ||
                   (dialect_.kind->name == std::string("positioner") && dialect_.knows("query_" + setting));
        });
        s.end = !s.note.empty() ? StepEnd::odd : asks ? StepEnd::proven : StepEnd::answered;
        s.answer = s.note.empty() && asks ? "has what it was told" : "";
        if (!asks && s.note.empty()) s.note = "nothing reads it back: state confirm_" + settings.front();
    }

    void together(const Together& group) {
        std::string names;
        for (const auto& setting : group.settings) names += (names.empty() ? "" : " and ") + setting;
        step("settings", "together: " + names, group.command, [&](ProofStep& s) {
            for (const auto& setting : group.settings) {
                const SettingInfo* info = dialect_.kind->find_setting(setting);
                std::string value = info ? info->example : "";
                no_leave(setting, value);
                role_->begin(setting, value);
            }
            confirm(s, group.settings);
        });
    }

    // set_X and query_X of captures: what was told against what it says.
    void pairs() {
        for (const auto& info : dialect_.kind->commands) {
            const std::string command = info.name;
            if (!command.starts_with("set_") || !dialect_.knows(command) || tried_.contains(command))
                continue;
            const Arguments arguments = sample_arguments(dialect_, info.sample);
            const std::string query = "query_" + command.substr(4);
            tried_.insert(command);
            step("setup", command, text_of(command, arguments), [&](ProofStep& s) {
                session().send(command, arguments);
                if (!dialect_.knows(query)) {
                    s.note = "nothing reads it back";
                    return;
                }
                tried_.insert(query);
                s.answer = session().ask(query, channel_of(arguments));
                compare(s, arguments.back().second);
            });
        }
    }

    static Arguments channel_of(const Arguments& arguments) {
        for (const auto& argument : arguments) {
            if (argument.first == "channel") return {argument};
        }
        return {};
    }

    static void compare(ProofStep& s, const std::string& expected) {
        const auto there = parse_scpi_number(s.answer), wanted = parse_scpi_number(expected);
        std::string word = lower(s.answer);
        std::erase(word, '"');
        const bool same = there && wanted ? std::abs(*there - *wanted) <= 1e-3 * std::abs(*wanted)
                                          : word == lower(expected) || word == lower(brief_form(expected));
        s.end = same ? StepEnd::proven : StepEnd::odd;
        if (!same) s.note = "it was told " + in_quotes(expected);
    }

    void detectors() {
        if (!dialect_.knows("set_detector")) return;
        for (const auto& [detector, word] : dialect_.detectors) {
            step("setup", "detector " + detector, text_of("set_detector", {{"detector", word}}),
                 [&](ProofStep& s) {
                     session().send("set_detector", {{"detector", word}});
                     if (!dialect_.knows("query_detector")) return;
                     s.answer = session().ask("query_detector");
                     compare(s, word);
                 });
        }
    }

    // The captures of its kind as a run takes them, in two lengths.
    void captures() {
        const std::string kind = dialect_.kind->name;
        std::vector<CaptureSetup> setups;
        for (const std::size_t points : {std::size_t{101}, std::size_t{11}}) {
            if (kind == "analyser") {
                const auto known = parse_detector_of(dialect_);
                if (!known) continue;
                for (const Unit unit : {Unit::dbm, Unit::dbuv}) {
                    SpectrumSetup s{1e6, 2e6, points, 9e3, *known, 1e-3, unit, {}, {}};
                    setups.push_back(s);
                }
            }
            if (kind == "oscilloscope") {
                WaveformSetup s;
                s.span_s = 1e-5, s.points = 10 * points, s.range_v = 1, s.channels = {1};
                s.trigger_channel = 1, s.trigger_v = 0;
                setups.push_back(s);
            }
            if (kind == "network-analyser") setups.push_back(NetworkSetup{1e6, 2e6, points, 1e3});
            if (kind == "counter") setups.push_back(CountSetup{points, 0});
        }
        if (kind == "power-meter") setups.push_back(PowerSetup{1e9, 1, 4});
        if (dialect_.knows("record_iq")) setups.push_back(IqSetup{1e9, 1e6, 1e-3, -10});
        for (const auto& setup : setups) {
            step("captures", kind_of(setup).name(), kind_of(setup).describe(setup), [&](ProofStep& s) {
                const Capture capture = kind_of(setup).acquire(*role_, setup);
                const auto doubt = distrust(capture);
                s.end = doubt ? StepEnd::odd : StepEnd::proven;
                s.note = doubt.value_or("");
                s.answer = size_of(capture);
            });
        }
        for (const char* part : {"sweep", "acquire", "record_iq", "count", "read_trace", "read_waveform",
                                 "read_iq", "read_counts", "read_power", "query_overload", "query_step",
                                 "query_iq_full_scale", "query_format", "query_byte_order", "query_corrected",
                                 "query_preamble", "query_increment", "query_origin", "query_reference"})
            tried_.insert(part);
    }

    static std::optional<Detector> parse_detector_of(const Dialect& dialect) {
        for (const auto& [word, said] : dialect.detectors) {
            if (const auto detector = parse_detector(word)) return detector;
        }
        return std::nullopt;
    }

    static std::string size_of(const Capture& capture) {
        return std::visit(
            [](const auto& data) -> std::string {
                using Data = std::decay_t<decltype(data)>;
                if constexpr (std::is_same_v<Data, Spectrum>) {
                    const auto [low, high] = std::minmax_element(data.level.begin(), data.level.end());
                    return fmt::format("{} levels, {} to {}", data.level.size(), format({*low, data.unit}),
                                       format({*high, data.unit}));
                } else if constexpr (std::is_same_v<Data, Network>) {
                    return fmt::format("{} points of {} parameters", data.frequency_hz.size(),
                                       data.s.size() / data.frequency_hz.size());
                } else if constexpr (std::is_same_v<Data, PowerReading>) {
                    return format({data.level_dbm, Unit::dbm});
                } else if constexpr (std::is_same_v<Data, Counts>) {
                    return fmt::format("{} sent, {} received", data.packets_sent, data.packets_received);
                } else {
                    return "as long as asked for";
                }
            },
            capture);
    }

    void waveform() {
        for (const std::string command : {"load_waveform", "load_iq"}) {
            if (dialect_.knows(command)) samples_of(command);
        }
    }
    void samples_of(const std::string& command) {
        const bool complex = command == "load_iq";
        tried_.insert(command), tried_.insert("query_samples");
        for (const std::size_t count : {std::size_t{1000}, std::size_t{64}}) {
            step("captures", command, fmt::format("{} samples of a sine", count), [&](ProofStep& s) {
                std::vector<double> samples(complex ? 2 * count : count);
                for (std::size_t i = 0; i < samples.size(); ++i)
                    samples[i] =
                        std::sin(2 * 3.14159265358979 * static_cast<double>(i) / static_cast<double>(count));
                complex ? role_->load_iq(samples) : role_->load_waveform(samples);
                s.end = dialect_.knows("query_samples") ? StepEnd::proven : StepEnd::answered;
                s.answer = s.end == StepEnd::proven ? fmt::format("holds {}", count) : "";
            });
        }
    }

    // Everything else that the dialect has: answers, or is at least not refused.
    void rest() {
        for (const auto& [command, text] : dialect_.commands) {
            if (tried_.contains(command) || command.starts_with("confirm_")) continue;
            if ((command == "zero" || command == "calibrate") && !leave_.zero) {
                leave_out("others", command,
                          "takes its time, and its input free: allow it with --allow zero");
                continue;
            }
            if (command == "stop" && !leave_.movement) {
                leave_out("others", command, "is of movements: allow it with --allow movement");
                continue;
            }
            if (command.ends_with("external_reference") && !instrument_.external_reference) {
                leave_out("others", command, "the bench does not ask for it (external_reference = true)");
                continue;
            }
            if (dialect_.kind->open_settings && command.starts_with("list_")) {
                list(command);
                continue;
            }
            const Arguments arguments = sample_of(command);
            step("others", command, text_of(command, arguments), [&](ProofStep& s) {
                if (command == "picture") {
                    s.answer = fmt::format("a block of {} bytes", session().ask_block(command).size());
                    s.end = StepEnd::proven;
                } else if (command == "zero" || command == "calibrate") {
                    session().ask(command, std::chrono::seconds(60));
                } else if (s.sent.find('?') != std::string::npos) {
                    s.answer = in_quotes(session().ask(command, arguments).substr(0, 200));
                } else {
                    session().send(command, arguments);
                }
            });
        }
    }

    // Not every unit has every list that its dialect knows.
    void list(const std::string& command) {
        step("others", command, text_of(command, {}), [&](ProofStep& s) {
            const auto answer = session().ask_if_known(command);
            s.answer = answer.value_or("");
            if (!answer)
                s.end = StepEnd::left_out, s.note = "no answer within 2 s: this unit has no such list";
        });
    }

    Arguments sample_of(const std::string& command) const {
        for (const auto& info : common_commands()) {
            if (command == info.name) return sample_arguments(dialect_, info.sample);
        }
        for (const auto& info : dialect_.kind->commands) {
            if (command == info.name) return sample_arguments(dialect_, info.sample);
        }
        return {};
    }

    void states() {
        if (dialect_.states.empty()) return;
        step("states", "state", dialect_.states.front().ask, [&](ProofStep& s) {
            s.note = role_->distrust();
            s.end = s.note.empty() ? StepEnd::answered : StepEnd::odd;
            if (s.note.empty()) s.answer = "says nothing against itself";
        });
    }

    const Instrument& instrument_;
    const Dialect& dialect_;
    const Address& place_;
    TrafficLog* traffic_;
    std::optional<InstrumentRole> role_;
    const ProofLeave& leave_;
    Proof& proof_;
    std::set<std::string> tried_;
};

}  // namespace

Proof prove(const Instrument& instrument, const Address& place, const ProofLeave& leave,
            TrafficLog* traffic) {
    Proof proof{instrument.role,
                instrument.name,
                instrument.serial,
                instrument.address,
                instrument.dialect.id,
                "",
                utc_now(),
                "",
                0,
                {}};
    const Stopwatch watch;
    try {
        Prover prover(instrument, place, traffic, leave, proof);
        const auto prepare = instrument.dialect.commands.find("prepare");
        if (prepare != instrument.dialect.commands.end())
            proof.steps.push_back(
                {"preparation", "prepare", prepare->second, "", "", StepEnd::answered, watch.seconds()});
        prover.run();
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
        proof.steps.push_back(
            {"identity", "connect", instrument.address, "", error.what(), StepEnd::refused, watch.seconds()});
    }
    proof.ended = utc_now();
    return proof;
}

}  // namespace rt::lab
