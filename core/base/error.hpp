// The one error type: what kind of trouble, where, and what to do about it.
#pragma once

#include <exception>
#include <string>

namespace rt {

// Each kind has its own exit code (see cli/exit_code.hpp).
enum class ErrorKind {
    input,     // what the user wrote cannot be used: campaign, bench, rulebook, capture, option
    bench,     // an instrument did not answer, or not as its dialect says
    output,    // a result could not be written
    signal,    // a signal that cannot be measured: no bursts, no edges. measure() turns it into verdict NONE
    internal,  // a broken promise inside the program
};

// `place` is "file:line:column", "file, row 12" or empty. The text names what is wrong and what to write
// instead, in one line.
class Error : public std::exception {
  public:
    Error(ErrorKind kind, std::string place, std::string message);

    ErrorKind kind() const { return kind_; }
    const std::string& place() const { return place_; }
    const std::string& message() const { return message_; }
    const char* what() const noexcept override { return text_.c_str(); }

  private:
    ErrorKind kind_;
    std::string place_;
    std::string message_;
    std::string text_;  // place and message joined
};

[[noreturn]] void fail_input(std::string message);
[[noreturn]] void fail_input(std::string place, std::string message);
[[noreturn]] void fail_signal(std::string message);
[[noreturn]] void fail_bench(std::string message);

}  // namespace rt
