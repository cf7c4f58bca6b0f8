// A kept run, opened for reports: the tally's record, the rules it was judged by, and its traces measured
// again from the captures.
#pragma once

#include <deque>
#include <filesystem>
#include <functional>
#include <vector>

#include "lab/formats/procedure_library.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

// What is done with a run that is not as it was written.
enum class Altered { refuse, mark };

// Whether all points of a run are held, or read one by one as often as they are gone through.
enum class Held { whole, by_point };

class RunData {
  public:
    // The chain of the tally is gone through first. Throws Error(input) for a folder that is no run, and for
    // one that was altered, unless it is to be marked.
    explicit RunData(const std::filesystem::path& folder, Altered altered = Altered::refuse,
                     Held held = Held::whole);

    // What is not as it was written, each in a line; empty for nearly all runs.
    const std::vector<std::string>& altered() const { return altered_; }

    // Without its points where they are read one by one.
    const RunRecord& record() const { return record_; }

    // The points that stand, in the order of the run; each is there until the next. Throws Error(input) where
    // the run was written to since it was opened.
    void each_point(const std::function<void(const PointRecord&)>& take) const;

    const RuleLibrary& rules() const { return library_; }
    const std::filesystem::path& folder() const { return folder_; }

    // The last hash of the tally's chain: stands for everything in it.
    const std::string& seal() const { return seal_; }

    // Rules that findings of the run cite, in order of their ids.
    std::vector<RuleRef> cited_rules() const;

    // Whether the point is a conclusion from results of others.
    bool concluded(const PointRecord& point) const;

    // The procedure run again on the kept capture. Throws Error(input) when the capture is missing or its
    // hash is not the one in the tally.
    Outcome outcome_of(const PointRecord& point) const;

  private:
    std::filesystem::path folder_;
    Held held_;
    RunRecord record_;
    std::string seal_;
    std::vector<std::string> altered_;
    RuleLibrary library_;
    ProcedureLibrary procedures_;
};

// Rulebooks and analyses that the run kept and that are not as they were written, each in a line.
std::vector<std::string> altered_inputs(const RunRecord& run, const std::filesystem::path& folder);

// Several kept runs, opened together.
class OpenRuns {
  public:
    // Throws as RunData does.
    explicit OpenRuns(const std::vector<std::filesystem::path>& folders, Altered altered = Altered::refuse) {
        for (const auto& folder : folders) all_.push_back(&opened_.emplace_back(folder, altered));
    }
    const std::vector<const RunData*>& all() const { return all_; }

  private:
    std::deque<RunData> opened_;  // addresses stay valid
    std::vector<const RunData*> all_;
};

}  // namespace rt::lab
