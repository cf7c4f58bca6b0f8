// Copies of everything a run depends on, so that it can be carried on, judged and reported years later.
#pragma once

#include <filesystem>
#include <vector>

#include "lab/formats/input_files.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

// Writes the copies into `folder`/inputs and says what they are.
std::vector<FileRecord> keep_inputs(const Plan& plan, const RuleLibrary& library,
                                    const std::filesystem::path& folder);

// The same of a bench that takes the place of the one that the run began with: into a folder of its own.
std::vector<FileRecord> keep_corrected(const Bench& bench, int correction,
                                       const std::filesystem::path& folder);

// Finds files among the copies of a run, whatever has become of the originals.
class KeptFiles : public InputFiles {
  public:
    // Throws Error(input) when a copy is missing or its hash is not the one in the tally.
    KeptFiles(std::filesystem::path folder, std::vector<FileRecord> records);

    std::filesystem::path find(const std::string& kind, const std::string& reference,
                               const std::filesystem::path& from) const override;
    // The campaign, and rulebooks that the campaign does not name itself.
    std::filesystem::path campaign() const { return find("campaign", "", ""); }
    std::vector<std::filesystem::path> further_rulebooks() const;
    bool has(const std::string& kind) const;

  private:
    std::filesystem::path folder_;
    std::vector<FileRecord> records_;
};

}  // namespace rt::lab
