// SCPI over a session: commands from a dialect, answers as lines or definite-length blocks (IEEE
// 488.2, 8.7.9), the error queue read out.
#pragma once

#include <chrono>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "lab/bench/tcp_session.hpp"
#include "lab/bench/traffic_log.hpp"
#include "lab/formats/bench_file.hpp"

namespace rt {

// Values for the {placeholders} of a command.
using Arguments = std::vector<std::pair<std::string, std::string>>;

class ScpiSession {
  public:
    // `host` and `port` are where the instrument is, `instrument` says how to speak to it.
    // `traffic`, if given, hears of every exchange and must live longer.
    ScpiSession(const Instrument& instrument, const std::string& host, const std::string& port,
                TrafficLog* traffic = nullptr);

    bool knows(const std::string& command) const { return instrument_.dialect.commands.contains(command); }
    // `command` names an entry of the dialect. Throws Error(input) if the dialect lacks it or a value holds
    // control characters, Error(bench) for trouble with the instrument.
    void send(const std::string& command, const Arguments& arguments = {});
    std::string ask(const std::string& command, const Arguments& arguments = {});
    std::string ask(const std::string& command, std::chrono::milliseconds timeout);
    // The bytes of a definite-length block. Throws Error(bench) for anything else.
    std::string ask_block(const std::string& command);
    // All entries of the error queue ("-222,\"Data out of range\""), oldest first; reading stops after 32.
    std::vector<std::string> drain_errors();

    const Instrument& instrument() const { return instrument_; }

  private:
    std::string text_of(const std::string& command, const Arguments& arguments) const;
    std::string answer(std::chrono::milliseconds timeout);
    [[noreturn]] void fail(const std::string& message) const;

    const Instrument& instrument_;
    std::chrono::milliseconds timeout_;
    TcpSession session_;
    TrafficLog* traffic_;
};

}  // namespace rt
