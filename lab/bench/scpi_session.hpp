// SCPI over a session: commands from a dialect, answers as lines or definite-length blocks (IEEE
// 488.2, 8.7.9), the error queue read out.
#pragma once

#include <chrono>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "lab/bench/traffic_log.hpp"
#include "lab/model/bench.hpp"
#include "lab/model/placeholder.hpp"
#include "lab/session/session.hpp"

namespace rt::lab {

// Throws Error(input) for a value that no command takes: with control characters or a semicolon. `name` says
// what it is for.
void require_sendable(const std::string& name, const std::string& value);

// Values for the {placeholders} of a command.
using Arguments = std::vector<std::pair<std::string, std::string>>;

// Safe to use from several threads: each question with its answer is one step.
class ScpiSession {
  public:
    // `instrument` says where it is and how to speak to it. `address` overrides its own (for simulated
    // ones). `traffic`, if given, hears of every exchange and must live longer.
    ScpiSession(const Instrument& instrument, const Address& address, TrafficLog* traffic = nullptr);
    ScpiSession(const Instrument& instrument, std::unique_ptr<Session> session,
                TrafficLog* traffic = nullptr);
    ~ScpiSession();
    ScpiSession(ScpiSession&&) = default;
    ScpiSession& operator=(ScpiSession&&) = default;

    bool knows(const std::string& command) const { return instrument_->dialect.knows(command); }
    // `command` names an entry of the dialect. Throws Error(input) if the dialect lacks it or a value holds
    // control characters, Error(bench) for trouble with the instrument.
    void send(const std::string& command, const Arguments& arguments = {});
    std::string ask(const std::string& command, const Arguments& arguments = {});
    std::string ask(const std::string& command, std::chrono::milliseconds timeout);
    // The answer to a question as it stands in a dialect, outside its commands.
    std::string ask_text(const std::string& question);
    // The answer to a question that an instrument need not know: nothing when the dialect has none, or no
    // answer comes within two seconds; it is not asked again then.
    std::optional<std::string> ask_if_known(const std::string& command, const Arguments& arguments = {});
    std::optional<std::string> ask_text_if_known(const std::string& question);
    // The bytes of a block of definite length, or, where `expected` says how many there must be, of
    // indefinite length. Throws Error(bench) for anything else.
    std::string ask_block(const std::string& command, const Arguments& arguments = {},
                          std::optional<std::size_t> expected = {});
    // `count` numbers in the form that the dialect states, scaled. Throws Error(bench) for another count, and
    // for what is no number.
    std::vector<double> ask_numbers(const std::string& command, const Arguments& arguments, std::size_t count,
                                    const char* what, const DataForm& otherwise = {});
    // A question whose answer looks like many others (a number): it is put right behind the question who it
    // is, so that an answer that comes for another question shows.
    std::string ask_alone(const std::string& command, const Arguments& arguments = {});
    // The same as a number. Throws Error(bench) for anything else.
    double ask_number(const std::string& command, const Arguments& arguments = {});
    // All entries of the error queue ("-222,\"Data out of range\""), oldest first; reading stops after 32.
    std::vector<std::string> drain_errors();
    // Asks who it is, and remembers it.
    std::string identify();
    // Who it was before, over another connection.
    void expect(const std::string& identity) { identity_ = identity; }
    // Asks who it is, and throws Error(bench) when that is not what it was: an answer that was lost or came
    // twice would make every one after it that of another question.
    void require_in_step();
    // Whether this is what it was told to be set up as last; remembers it.
    bool is_set_up_as(const std::string& setup) { return std::exchange(setup_, setup) == setup; }
    // What is sent for a command, its placeholders filled.
    std::string text_of(const std::string& command, const Arguments& arguments) const;

    // The same of a text with placeholders that is no command of its own.
    std::string fill(const CommandText& parts, const Arguments& arguments) const;
    void send_text(const std::string& text);

    const Instrument& instrument() const { return *instrument_; }
    Session& session() { return *session_; }
    [[noreturn]] void fail(const std::string& message) const;

  private:
    std::string answer(std::chrono::milliseconds timeout);
    void get_in_step();
    // What is done with the session, its trouble told with the command that it belongs to.
    template <class Do>
    auto told(Do act);
    void scale(std::vector<double>& numbers, const DataForm::Scale& scale, const Arguments& arguments);
    double scale_term(const std::vector<std::string>& fields, std::size_t field, const char* command,
                      double otherwise, const Arguments& arguments);

    std::string setup_, last_;         // what was sent last
    std::string identity_, no_error_;  // what it said of itself, and of an empty error queue
    std::set<std::string> unanswered_;
    std::vector<std::string> set_aside_;  // entries of the error queue that were met elsewhere

    const Instrument* instrument_;
    std::chrono::milliseconds timeout_;
    std::unique_ptr<Session> session_;
    TrafficLog* traffic_;
    std::unique_ptr<std::recursive_mutex> mutex_ = std::make_unique<std::recursive_mutex>();
};

}  // namespace rt::lab
