// An instrument in its role: identity, settings, queries, zero.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "lab/bench/scpi_session.hpp"

namespace rt::lab {

class InstrumentRole {
  public:
    // Clears and prepares it. Throws Error(bench), also for what it reports about being prepared.
    explicit InstrumentRole(ScpiSession session);

    // Brings it into its known state once more.
    void prepare();
    // True when it says that it was switched on since it was asked last (IEEE 488.2: bit 7 of the standard
    // event status register). Never for one that cannot be asked.
    bool switched_on();

    std::string identify() { return session_.identify(); }
    // Sends a setting ("level", "-30 dBm") without waiting for its end. Throws Error(input) for a setting
    // that its kind does not have, or a value of another unit.
    void begin(const std::string& setting, const std::string& value);
    // Throws Error(bench) naming the setting begun last when the instrument reports an error, without waiting
    // for what it has begun.
    void require_taken();
    // Whether what was settled last has failed because it was refused.
    bool refused() const { return refused_; }
    // Waits until everything begun is done; Error(bench) when the instrument reports an error. Gives why it
    // is not where it was sent: a turntable that says it has not arrived, or is elsewhere. Empty when it is.
    std::string settle();
    // Why nothing may rest on it now: it is not locked to the reference of the bench, or says itself that it
    // is unlevelled, uncalibrated ... ([[state]] of its dialect). Empty when all is well.
    std::string distrust();
    // What it has of the settings that it was told since it was asked last, where its dialect can ask
    // (confirm_NAME): why that is something else. Empty when it is not.
    std::string read_back();
    // The same of every setting that it was told since it was prepared: somebody may have changed it
    // meanwhile.
    std::string still_set();
    void set(const std::string& setting, const std::string& value) {
        begin(setting, value);
        settle();
    }
    double query(const std::string& quantity) { return session_.ask_number("query_" + quantity); }
    // What it lists: "0","1" becomes 0 and 1. Throws Error(bench) for an answer that is no list.
    std::vector<std::string> list(const std::string& name);
    // Zero and calibrate, those of them that the dialect has.
    void zero();
    // Samples of one period from -1 to 1, sent in the form that the dialect states for load_waveform. Throws
    // Error(bench) when it reports an error, or holds another number of them afterwards.
    void load_waveform(const std::vector<double>& samples) { load("load_waveform", samples, 1); }
    // The same of I and Q in turn, for load_iq.
    void load_iq(const std::vector<double>& samples) { load("load_iq", samples, 2); }
    // Whether the last capture was raw data, for which the correction was switched off; this one is `now`.
    bool was_raw(bool now) { return std::exchange(raw_, now); }
    // Nothing when the dialect has no picture.
    std::string picture();

    ScpiSession& session() { return session_; }
    const Instrument& instrument() const { return session_.instrument(); }

  private:
    ScpiSession session_;
    void load(const std::string& command, const std::vector<double>& samples, std::size_t each);
    void send_groups();
    std::string confirm(const std::string& setting, const std::string& wanted);

    bool moving_ = false, refused_ = false, raw_ = false;
    std::string last_;                          // what was begun and not yet taken, for messages
    std::map<std::string, std::string> group_;  // values of settings that go together, by setting
    std::set<std::string> waiting_;             // of these, what is to be sent
    bool asks_power_ = false;
    std::map<std::string, double> sent_to_;     // of a turntable or mast: where, by setting
    std::map<std::string, std::string> told_;   // since it was settled last: values, by setting
    std::map<std::string, std::string> known_;  // since it was prepared
};

// Why an instrument of this dialect does not go so high; empty where it does, or nothing is known. `text` as
// setting_text gives it.
std::string beyond(const Dialect& dialect, const std::string& setting, const std::string& text);

// What a {value} of a setting becomes: the number in the unit of the setting, or the word. Throws
// Error(input).
std::string setting_text(const RoleKind& kind, const std::string& setting, const std::string& value);

}  // namespace rt::lab
