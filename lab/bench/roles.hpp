// What instruments do in a role, whatever their dialect.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/measure/procedure.hpp"
#include "core/signal/spectrum.hpp"
#include "lab/bench/scpi_session.hpp"

namespace rt {

// A signal analyser or measuring receiver.
class AnalyserRole {
  public:
    explicit AnalyserRole(ScpiSession session);

    std::string identify() { return session_.ask("identify"); }
    // Sets up, sweeps and reads back one trace. Overload status and entries of the error queue mark the
    // capture as not to be trusted (Spectrum::overload). Throws Error(bench) for an answer of wrong size or
    // levels that are not numbers.
    Spectrum sweep(const SpectrumSetup& setup);

  private:
    void set_up(const SpectrumSetup& setup);
    std::vector<double> read_levels(std::size_t points);
    std::optional<std::string> distrust();

    ScpiSession session_;
};

// How long a sweep takes on this instrument: dwell time for each part of the spectrum measured at once.
double sweep_seconds(const Instrument& instrument, const SpectrumSetup& setup);

// Control of the unit under test: named settings.
class UnitRole {
  public:
    explicit UnitRole(ScpiSession session) : session_(std::move(session)) {}

    std::string identify() { return session_.ask("identify"); }
    // Uses the dialect's command "set_NAME". Throws Error(bench) if the unit reports an error.
    void set(const std::string& name, const std::string& value);
    bool can_set(const std::string& name) const { return session_.knows("set_" + name); }

  private:
    ScpiSession session_;
};

}  // namespace rt
