// Values of an axis that show during the run only: out of an earlier test, or a list of the bench.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "lab/run/instruments.hpp"
#include "lab/run/measured.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

class FoundValues {
  public:
    using Note = std::function<void(const std::string& kind, const std::string& text)>;
    // What a person replies to a text; nothing where nobody is there. May throw Interruption.
    using Ask = std::function<std::optional<std::string>(const Test& test, const std::string& text)>;

    FoundValues(const Plan& plan, const Measured& measured, const std::filesystem::path& run, Tally& tally,
                BenchConnection& bench, Note note, Ask ask)
        : plan_(plan),
          measured_(measured),
          run_(run),
          tally_(tally),
          bench_(bench),
          note_(std::move(note)),
          ask_(std::move(ask)) {}

    // What a part of the run before this one was told by the bench.
    void know(const RunRecord& earlier) { earlier_ = earlier.head.found; }
    // Whether the bench will be asked: its unit must have its power then.
    bool asks_bench(const Test& test) const {
        return test.found->by_bench() && !earlier_.contains(test.name);
    }
    // In the order in which they were found, each once. Throws Error(bench) when the bench does not answer.
    std::vector<AxisValue> of(const Test& test);

  private:
    std::vector<AxisValue> results(const FoundAxis& from) const;
    std::vector<AxisValue> of_axis(const FoundAxis& from) const;
    std::vector<AxisValue> candidates(const FoundAxis& from) const;
    std::vector<AxisValue> rows(const FoundAxis& from) const;
    std::vector<AxisValue> listed(const Test& test);
    std::vector<AxisValue> chosen_of(const Test& test, std::vector<AxisValue> values);
    // Of the points of the earlier test that count, in order.
    std::vector<Outcome> outcomes(const FoundAxis& from) const;

    const Plan& plan_;
    const Measured& measured_;
    const std::filesystem::path& run_;
    Tally& tally_;
    BenchConnection& bench_;
    Note note_;
    Ask ask_;
    RunHead::Texts earlier_;  // by test
};

}  // namespace rt::lab
