#include <limits>

#include <nlohmann/json.hpp>
#include "cli/campaign_options.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/profile_file.hpp"
#include "lab/run/movements.hpp"

namespace rt::cli {
namespace {

void print_json(const Call& call, const LoadedCampaign& loaded) {
    using Json = nlohmann::ordered_json;
    auto warnings = loaded.plan.warnings;
    warnings.insert(warnings.end(), loaded.plan.hints.begin(), loaded.plan.hints.end());
    const Movements moves = movements_of(loaded.plan);
    Json json{{"schema", 1},
              {"points", loaded.plan.captures()},
              {"at_most", loaded.plan.at_most()},
              {"seconds", loaded.plan.seconds()},
              {"movements", {{"count", moves.count}, {"untimed", moves.untimed}, {"seconds", moves.seconds}}},
              {"warnings", warnings},
              {"tests", Json::array()}};
    for (const auto& planned : loaded.plan.tests) {
        Json test{{"name", planned.test->name},
                  {"procedure", planned.test->procedure->name},
                  {"seconds", planned.seconds},
                  {"captures", planned.captures},
                  {"points", Json::array()}};
        for (const auto& point : planned.points) {
            test["points"].push_back({{"id", point.id_text()}, {"label", label(planned.test->sweep, point)}});
        }
        json["tests"].push_back(std::move(test));
    }
    call.console.out(json.dump(2, ' ', false, Json::error_handler_t::replace));
}

// All parameters of the tests as they are in force.
ExitCode save_profile(const Call& call, const LoadedCampaign& loaded) {
    const std::filesystem::path file = call.text("save-profile");
    Profile profile;
    profile.title = "parameters of " + loaded.campaign.title;
    for (const auto& test : loaded.campaign.tests) {
        const auto& texts = test.parameters.texts();
        profile.parameters[test.name].assign(texts.begin(), texts.end());
    }
    write_file(file, profile_text(profile));
    call.console.out("wrote " + file.string());
    return ExitCode::passed;
}

ExitCode perform_check(const Call& call) {
    const auto files = call.texts("campaign");
    if (files.size() != 1) fail_input("check needs one campaign file: rare-tally check CAMPAIGN");
    const auto loaded = load_campaign(call, files.front(), call.text("bench"));
    if (call.flag("save-profile")) return save_profile(call, *loaded);
    if (call.flag("json")) {
        print_json(call, *loaded);
    } else {
        print_plan(call, *loaded, call.flag("all") ? std::numeric_limits<std::size_t>::max() : 200);
    }
    return ExitCode::passed;
}

}  // namespace

Command check_command() {
    return {
        "check",
        "CAMPAIGN [--bench FILE]",
        "what would be done, how long it takes, what is missing; touches nothing",
        "rare-tally check campaign.toml",
        {bench_option,
         rulebook_option,
         only_option,
         profile_option,
         set_option_of_tests,
         published_option,
         {"save-profile", "FILE", "write all parameters of the tests, as they are in force, to a profile"},
         {"all", "", "list every point, however many there are"}},
        "campaign",
        perform_check};
}

}  // namespace rt::cli
