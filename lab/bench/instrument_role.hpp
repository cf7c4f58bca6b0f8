// An instrument in its role: identity, settings, queries, zero.
#pragma once

#include <string>
#include <vector>

#include "lab/bench/scpi_session.hpp"

namespace rt {

class InstrumentRole {
  public:
    // Clears and prepares it. Throws Error(bench).
    explicit InstrumentRole(ScpiSession session);

    std::string identify() { return session_.ask("identify"); }
    // Sends a setting ("level", "-30 dBm") without waiting for its end. Throws Error(input) for a setting
    // that its kind does not have, or a value of another unit.
    void begin(const std::string& setting, const std::string& value);
    // Waits until everything begun is done; Error(bench) when the instrument reports an error.
    void settle();
    void set(const std::string& setting, const std::string& value) {
        begin(setting, value);
        settle();
    }
    double query(const std::string& quantity) { return session_.ask_number("query_" + quantity); }
    // Zero and calibrate, those of them that the dialect has.
    void zero();
    // Nothing when the dialect has no picture.
    std::string picture();

    ScpiSession& session() { return session_; }
    const Instrument& instrument() const { return session_.instrument(); }

  private:
    ScpiSession session_;
    bool moving_ = false;
    std::string last_;  // what was begun last, for messages
};

// What a {value} of a setting becomes: the number in the unit of the setting, or the word. Throws
// Error(input).
std::string setting_text(const RoleKind& kind, const std::string& setting, const std::string& value);

}  // namespace rt
