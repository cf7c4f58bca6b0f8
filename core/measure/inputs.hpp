// The captures that a procedure takes: one for nearly all, several with names for some.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/outcome/parameters.hpp"
#include "core/signal/capture.hpp"

namespace rt {

// One capture of several.
struct InputInfo {
    const char* name;  // "open"
    const char* help;
    bool required = true;
    // What the bench is asked for; null when it is the same as for the procedure itself.
    CaptureSetup (*setup)(const Parameters&) = nullptr;
    // There may be more of it, called NAME-2, NAME-3 ...
    bool many = false;

    bool named(std::string_view input) const;
};

struct Input {
    std::string name;  // "" for the only one of a procedure
    Capture capture;
};

class Inputs {
  public:
    // The only one, or the first of several.
    Inputs(Capture first) { all_.push_back({"", std::move(first)}); }
    template <CaptureData Data>
    Inputs(Data first) : Inputs(Capture(std::move(first))) {}
    explicit Inputs(std::vector<Input> all) : all_(std::move(all)) {}

    const std::vector<Input>& all() const { return all_; }
    const Capture* find(std::string_view name) const;
    Capture take_first();
    // Of an input of which there may be many: all, in order.
    std::vector<const Input*> all_of(const InputInfo& info) const;
    // The one called so, which must be there.
    Capture take(std::string_view name);

    // Brings them into the order of `infos`; one without a name is the first. Throws Error(input) for names
    // that are not in the list, for the same name twice, and for one that is missing. Without a list there
    // must be one.
    void require(std::span<const InputInfo> infos, std::string_view procedure);
    // What stands before a message about one of several: "open: "; "" for the only one.
    std::string prefix(const Input& input) const;

  private:
    std::vector<Input> all_;
};

}  // namespace rt
