// What people see: results on stdout, progress and trouble on stderr, colour only where it can be seen.
#pragma once

#include <mutex>
#include <string>
#include <vector>

#include "core/rules/finding.hpp"

namespace rt::lab {}

namespace rt::cli {

using namespace rt::lab;  // commands talk about what the lab does

enum class Tone { plain, strong, soft, good, warning, bad };
Tone tone_of(Verdict verdict);

class Console {
  public:
    Console(bool quiet, bool verbose);
    ~Console();
    Console(const Console&) = delete;
    Console& operator=(const Console&) = delete;

    bool verbose() const { return verbose_; }
    void out(const std::string& line) const;        // a result
    void progress(const std::string& line) const;   // how it goes; nothing when quiet
    void attention(const std::string& line) const;  // on stderr, quiet or not
    void detail(const std::string& line) const;     // progress, only when verbose
    // What goes on now: the last line of a terminal, in place of the one before, until "" takes it away.
    // Nothing where stderr is no terminal: stays_put() says so.
    void status(const std::string& line) const;
    // Where somebody hears it.
    void ring() const;
    bool stays_put() const { return in_place_ && !quiet_; }
    // Columns of the terminal that results go to; 0 where they go elsewhere: nothing is wrapped there.
    std::size_t width() const;
    // Colour for stdout, if stdout is a terminal and NO_COLOR is not set. Control characters are replaced.
    std::string tinted(const std::string& text, Tone tone) const;
    std::string verdict(Verdict verdict) const;  // tinted, 8 wide
    std::string counts(const VerdictCounts& counts) const;

  private:
    void hide() const;
    void show() const;

    bool quiet_, verbose_, colour_, in_place_;
    mutable std::recursive_mutex mutex_;  // lines of one thread do not cut those of another
    mutable std::string status_;
};

// Columns of the terminal behind a file (1 for stdout, 2 for stderr); 0 where it is none.
std::size_t columns_of(int file);

// With spaces before it, so many characters wide at least.
std::string padded(std::string text, std::size_t width);
// With spaces behind it.
std::string filled(std::string text, std::size_t width);

}  // namespace rt::cli
