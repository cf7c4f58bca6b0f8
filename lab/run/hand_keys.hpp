// Settings stepped by single keys while a signal runs: for fault finding.
#pragma once

#include <map>
#include <optional>
#include <string>

#include "lab/model/test.hpp"

namespace rt::lab {

// The keys of a test and where they have brought its settings.
class HandKeys {
  public:
    // `settings` are those of the test at its point: what the keys step from.
    HandKeys(const std::vector<HandKey>& keys, const TextPairs& settings);

    // What a key does: the setting and its new value, to be set. Nothing for a key that is none of them.
    std::optional<std::pair<std::string, std::string>> press(char key);
    // All that keys have changed so far.
    const TextPairs& changed() const { return changed_; }
    // "a/d deviation 0.02, t tones both": what can be pressed, and where it stands.
    std::string text() const;

  private:
    const std::vector<HandKey>& keys_;
    std::map<std::string, std::string> now_;
    TextPairs changed_;
};

}  // namespace rt::lab
