// What simulated instruments share: SCPI messages, common commands, settings, faults on request.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "lab/model/bench.hpp"
#include "lab/simulate/scpi_tree.hpp"
#include "lab/simulate/stage.hpp"

namespace rt::lab {

// Takes one message without its line end, gives the answer without its line end, or none.
class SimulatedInstrument {
  public:
    virtual ~SimulatedInstrument() = default;
    virtual std::optional<std::string> handle(std::string_view message) = 0;
    // Makes a planned fault happen that shows in what the instrument says rather than how.
    virtual void suffer(const PlannedFault& fault) = 0;
};

// IEEE 488.2 common commands and SYSTem:ERRor, shared by all.
void add_common_commands(ScpiTree& tree, const std::string& identity, std::function<void()> reset);

// Answers the identity query with `kind` and the role it plays.
class ScpiInstrument : public SimulatedInstrument {
  public:
    std::optional<std::string> handle(std::string_view message) override { return tree_.execute(message); }
    void suffer(const PlannedFault& fault) override;

  protected:
    ScpiInstrument(std::shared_ptr<Stage> stage, const std::string& kind, const std::string& where);

    // *RST.
    virtual void reset() = 0;

    // A number kept in `value`, with its query; `after` follows a change.
    void number(const std::string& pattern, double& value, ScpiUnit unit, ScpiRange range,
                std::function<void()> after = {});
    void flag(const std::string& pattern, bool& value, std::function<void()> after = {});
    // One of several words, kept as its index.
    void word(const std::string& pattern, std::size_t& value, const std::vector<std::string>& words,
              std::function<void()> after = {});
    // FORMat and FORMat:BORDer, and a block or a list of numbers in that format.
    void add_format();
    std::string numbers(const std::vector<double>& values) const;
    void add_questionable_status();
    // ROSCillator:SOURce and LOCKed?; *RCL of the states 1 to 9.
    void add_reference();
    // Bits of STATus:QUEStionable that are there now.
    void note_condition(int bits, bool there);
    // STATus:QUEStionable: bit 3 is power.
    void note_overload(bool overload);
    // HCOPy:SDUMp:DATA? gives a picture of these values, scaled to fit.
    void add_picture(std::function<std::vector<double>()> curve);

    std::shared_ptr<Stage> stage_;
    ScpiTree tree_;
    bool forced_overload_ = false;
    bool distorts_ = false;  // sets something else than it is told

  private:
    void scale(const std::vector<double>& values) const;

    bool swapped_ = false, endless_ = false;
    std::size_t format_ = 0;
    int bits_ = 64;
    mutable std::size_t sent_ = 0;
    mutable double increment_ = 1, origin_ = 0;
    int questionable_ = 0, questionable_event_ = 0;
    int told_ = 0;  // bits of the questionable status that stay: unlocked, uncalibrated
    std::size_t reference_ = 0;
    bool reference_lost_ = false;
};

bool scpi_flag(const ScpiArguments& arguments);

}  // namespace rt::lab
