// Parameters of procedures: known by name, each with its unit, default and explanation.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/signal/detector.hpp"

namespace rt {

// A whole number counts from 1, a number from 0.
enum class ParameterKind { quantity, whole_number, number_from_0, detector, choice, text };

struct ParameterInfo {
    const char* name;
    ParameterKind kind;
    Unit unit;
    const char* otherwise;     // value used when neither campaign nor rule sets it; "" for none
    const char* help;          // one sentence
    const char* choices = "";  // of a choice, with spaces between them
};

// A set of parameter values for one procedure. Values are checked when they are set.
class Parameters {
  public:
    explicit Parameters(std::span<const ParameterInfo> known) : known_(known) {}

    // Throws Error(input) for an unknown name (with the nearest known one) or an unusable value.
    void set(std::string_view name, std::string_view text);
    void set_quantity(std::string_view name, Quantity value);
    // The same for a value that nobody stated.
    void set_default(std::string_view name, std::string_view text);
    bool has(std::string_view name) const { return texts_.contains(std::string(name)); }

    // Defaults fill what has not been set.
    void fill_defaults();
    // True for a value that somebody gave (the user, a campaign, a rule), not for a default.
    bool stated(std::string_view name) const { return has(name) && !defaults_.contains(std::string(name)); }

    std::set<std::string> stated_names() const;

    std::optional<double> number(std::string_view name) const;  // in the unit of the parameter
    // Throws Error(input) saying what the parameter is when it has no value.
    double required(std::string_view name) const;
    std::optional<Detector> detector(std::string_view name) const;
    // What was chosen or written; "" when it was not set.
    std::string text(std::string_view name) const;
    std::optional<Quantity> quantity(std::string_view name) const;

    const std::map<std::string, std::string>& texts() const { return texts_; }
    std::span<const ParameterInfo> known() const { return known_; }
    const ParameterInfo* find(std::string_view name) const;

    // True if both texts mean the same value of parameter `name`.
    bool same(std::string_view name, std::string_view a, std::string_view b) const;

  private:
    const ParameterInfo& info_of(std::string_view name) const;

    std::span<const ParameterInfo> known_;
    std::map<std::string, std::string> texts_;  // as written
    std::map<std::string, Quantity> values_;    // quantities and whole numbers
    std::set<std::string> defaults_;            // what fill_defaults() has set
};

}  // namespace rt
