// What asking instruments for captures shares: blocks of numbers, the end of a sweep, settings read back, and
// what makes a capture doubtful.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/signal/registers.hpp"
#include "lab/bench/instrument_role.hpp"

namespace rt::lab {

// Waits until it is over: announced by 1, or as the dialect says under [[done]]. Throws Error(bench) for
// another answer, and for one that takes longer.
void require_done(ScpiSession& session, const std::string& command, double longest_s, const char* what);

// Forgets what was latched before this capture.
void forget_overload(ScpiSession& session);
// Overload and the error queue, read after each capture; `remedy` says what to do against an overload.
std::optional<std::string> read_distrust(ScpiSession& session, const char* remedy);

// A level of an instrument that cannot be told a unit ("levels" of its dialect), in another one, by the
// impedance of its input; as it is where the dialect says nothing. What has no level (0 V) or cannot be
// converted is told in `distrust`.
double level_in(const Instrument& instrument, double level, Unit unit, std::optional<std::string>& distrust);

// What an instrument has set against what it was told: the first thing that differs.
class ReadBack {
  public:
    explicit ReadBack(ScpiSession& session) : session_(session) {}

    void number(const std::string& what, const std::string& name, double wanted, double tolerance, Unit unit,
                bool more_is_well = false, const Arguments& arguments = {});
    // In short or long form, whatever the capitals.
    void word(const std::string& what, const std::string& name, const std::string& wanted);
    // Form of numbers and byte order of the answers to a command.
    void format_of_numbers(const std::string& command);
    const std::optional<std::string>& distrust() const { return distrust_; }

  private:
    std::optional<std::string> asked(const std::string& what, const Arguments& arguments = {});
    void tell(const std::string& name, const std::string& is, const std::string& wanted);

    ScpiSession& session_;
    std::optional<std::string> distrust_;
};

// Complex samples come in 32 bits where the dialect says nothing.
inline const DataForm samples_form{NumberForm::real32, false, {}, "", "", {}};

inline constexpr const char* scrambled_text =
    "the numbers are smaller than anything measured: the byte order is another one";

// All pages of a module. Throws Error(bench) with what went wrong at its bus.
Registers read_module(InstrumentRole& role, const RegistersSetup& setup);

}  // namespace rt::lab
