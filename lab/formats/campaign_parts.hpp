// The parts of campaigns that may stand in several files: tests, sweeps with names, conclusions, questions,
// watches, rechecks.
#pragma once

#include <deque>
#include <map>
#include <string>

#include "lab/formats/config.hpp"
#include "lab/formats/gathered.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/formats/sweep_section.hpp"
#include "lab/model/campaign.hpp"

namespace rt::lab {

class CampaignParts {
  public:
    // The head of the campaign is read: unit, profile, what it says of judging. All must outlive this.
    CampaignParts(RuleLibrary& library, const ProcedureLibrary& procedures, const InputFiles& files,
                  Campaign& campaign)
        : library_(library), procedures_(procedures), files_(files), campaign_(campaign) {}

    // What `node` has of them, as a section `info`. Throws Error(input); what is wrong with single tests,
    // sweeps and the like is told by finish(), all of it.
    void read(ConfigNode node, const std::string& file, const SectionInfo& info);
    // Conclusions, when all tests are there; tests that do not apply to the unit, and what builds on these,
    // are left out.
    void finish();
    // What a campaign without tests is told.
    std::string none_left() const;

  private:
    // Tests that are `like` an earlier one get what they leave out from there.
    void complete(ConfigNode& node, const std::string& file);
    void read_tests(const ConfigSection& root, const ConfigNode& node);
    void leave_out();

    RuleLibrary& library_;
    const ProcedureLibrary& procedures_;
    const InputFiles& files_;
    Campaign& campaign_;
    Gathered errors_;
    std::deque<ConfigNode> nodes_;  // that sections below stand in
    std::deque<ConfigSection> conclusions_;
    NamedSweeps sweeps_;
    std::map<std::string, ConfigNode> tests_;  // as written, by name
    std::map<std::string, std::vector<std::pair<std::string, std::string>>> applies_;
};

// Tests that one is made from: values, inputs, limits, calibrations.
std::vector<std::string> builds_on(const Campaign& campaign, const Test& test);

}  // namespace rt::lab
