// What check, run and demo share: a campaign with its bench and rules, ready to be carried out.
#pragma once

#include <memory>
#include <optional>

#include "cli/command.hpp"
#include "lab/analysis/ask.hpp"
#include "lab/formats/procedure_library.hpp"
#include "lab/run/plan.hpp"

namespace rt::cli {

inline constexpr OptionInfo set_option_of_tests{
    "set", "TEST.PARAMETER=VALUE",
    "a parameter of a test, above the campaign and the profile; may be given more than once"};

inline constexpr OptionInfo profile_option{"profile", "FILE", "parameters put over those of the campaign"};
inline constexpr OptionInfo published_option{
    "published", "", "where a rule presets a parameter, its value counts, whatever the campaign says"};

// What a kept run is loaded for: to be carried on, or to be looked at; then no program is started.
enum class Loaded { to_carry_on, to_look_at };

struct LoadedCampaign {
    explicit LoadedCampaign(Loaded what)
        : procedures(what == Loaded::to_carry_on ? AskProgram(ask_program) : nullptr) {}

    RuleLibrary library;
    ProcedureLibrary procedures;
    Campaign campaign;
    Bench bench;
    std::optional<Bench> corrected;  // what a kept run has in place of `bench`
    Plan plan;
};

// `bench` overrides the campaign's own when not empty. Throws Error(input).
std::unique_ptr<LoadedCampaign> load_campaign(const Call& call, const std::filesystem::path& campaign,
                                              const std::filesystem::path& bench);

// The same from the inputs that a run keeps, with another bench when `bench` is not empty.
std::unique_ptr<LoadedCampaign> load_kept_campaign(const std::filesystem::path& run, Loaded what,
                                                   const std::filesystem::path& bench = {});

// Prints every point (at most `most`), what it takes and what is missing.
void print_plan(const Call& call, const LoadedCampaign& loaded, std::size_t most);

// Carries the plan out with a line a point, writes the report into `folder`/report and prints the summary.
// With `resume`, only what the run in `folder` lacks.
ExitCode run_and_report(const Call& call, const LoadedCampaign& loaded, const std::filesystem::path& folder,
                        bool with_report, bool resume);

}  // namespace rt::cli
