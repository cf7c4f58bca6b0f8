// A program of the user's that counts errors, spoken to in lines of JSON (docs/counting.md).
#pragma once

#include <sys/types.h>

#include <cstdint>
#include <memory>
#include <string>

namespace rt::lab {

struct ProgramCounts {
    std::uint64_t frames = 0, frame_errors = 0;  // 0 frames where it counts none
    std::uint64_t bits = 0, bit_errors = 0;
    bool locked = true;  // whether the pattern is still seen
};

// What a program's answer to read or stop says, or what is odd about it. Counts only grow from those before.
struct SaidCounts {
    ProgramCounts counts;
    std::string odd;
};
SaidCounts counts_said(const std::string& answer, const ProgramCounts& before);

class CountingProgram {
  public:
    // Starts it. `timeout_s` holds for each answer. Throws Error(bench), as all below does, for a program
    // that cannot be started, dies, says nothing in time, or says something else than the protocol has.
    CountingProgram(std::string path, double timeout_s);
    ~CountingProgram();
    CountingProgram(const CountingProgram&) = delete;
    CountingProgram& operator=(const CountingProgram&) = delete;

    // Begins a count from zero; `wanted` frames or bits are going to be waited for.
    void start(std::uint64_t wanted);
    ProgramCounts read();
    // The last counts, after which none is added.
    ProgramCounts stop();

  private:
    std::string ask(const std::string& line, const char* what);
    ProgramCounts counts(const char* what);
    [[noreturn]] void fail(const std::string& why);

    std::string path_, waiting_;
    double timeout_s_;
    pid_t child_ = 0;
    int to_ = -1, from_ = -1;
    ProgramCounts last_;
};

}  // namespace rt::lab
