// The lines of a run on the console: a heading for each test, a row for each finding or reading.
#pragma once

#include <string>

#include "cli/console.hpp"
#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"

namespace rt::cli {

class RunTable {
  public:
    RunTable(const Console& console, const Plan& plan) : console_(console), plan_(plan) {}

    // A point with its findings, or with what stands for them; under the heading of its test.
    void point(const PointRecord& point);
    // What happened besides, on stderr.
    void event(const EventRecord& event);

  private:
    struct Row {
        std::string number, verdict, value, limit, margin, text;
        Tone tone = Tone::plain;
    };
    void heading(const PointRecord& point);
    void reading(const PointRecord& point);
    void print(const Row& row) const;

    const Console& console_;
    const Plan& plan_;
    std::string test_;            // whose heading was printed last
    bool several_rules_ = false;  // of it: rows say which
    bool several_books_ = false;  // and whose
    std::string result_;          // whose value the last row showed
};

// Verdicts and smallest margin of each test, when a run has several.
void print_summary(const Console& console, const RunRecord& run);

}  // namespace rt::cli
