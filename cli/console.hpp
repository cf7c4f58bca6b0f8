// What people see: results on stdout, progress and trouble on stderr, colour only where it can be seen.
#pragma once

#include <string>
#include <vector>

#include "core/rules/finding.hpp"

namespace rt::lab {}

namespace rt::cli {

using namespace rt::lab;  // commands talk about what the lab does

enum class Tone { plain, strong, soft, good, warning, bad };

class Console {
  public:
    Console(bool quiet, bool verbose);

    bool verbose() const { return verbose_; }
    void out(const std::string& line) const;        // a result
    void progress(const std::string& line) const;   // how it goes; nothing when quiet
    void attention(const std::string& line) const;  // on stderr, quiet or not
    void detail(const std::string& line) const;     // progress, only when verbose
    // Colour for stdout, if stdout is a terminal and NO_COLOR is not set. Control characters are replaced.
    std::string tinted(const std::string& text, Tone tone) const;
    std::string verdict(Verdict verdict) const;  // tinted, 8 wide
    std::string counts(const VerdictCounts& counts) const;

  private:
    bool quiet_, verbose_, colour_;
};

// With spaces before it, so many characters wide at least.
inline std::string padded(std::string text, std::size_t width) {
    if (text.size() < width) text.insert(0, width - text.size(), ' ');
    return text;
}

}  // namespace rt::cli
