#include <limits>

#include <nlohmann/json.hpp>
#include "cli/campaign_options.hpp"
#include "core/base/text.hpp"

namespace rt {
namespace {

void print_json(const Call& call, const LoadedCampaign& loaded) {
    using Json = nlohmann::ordered_json;
    Json json{{"schema", 1},
              {"points", loaded.plan.points()},
              {"seconds", loaded.plan.seconds()},
              {"warnings", loaded.plan.warnings},
              {"tests", Json::array()}};
    for (const auto& planned : loaded.plan.tests) {
        Json test{{"name", planned.test->name},
                  {"procedure", planned.test->procedure->name},
                  {"seconds", planned.seconds},
                  {"points", Json::array()}};
        for (const auto& point : planned.points) {
            test["points"].push_back({{"id", point.id_text()}, {"label", label(planned.test->sweep, point)}});
        }
        json["tests"].push_back(std::move(test));
    }
    call.console.out(json.dump(2, ' ', false, Json::error_handler_t::replace));
}

ExitCode run(const Call& call) {
    const auto files = call.texts("campaign");
    if (files.size() != 1) fail_input("check needs one campaign file: rare-tally check CAMPAIGN");
    const auto loaded = load_campaign(call, files.front(), call.text("bench"));
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
        {bench_option, rulebook_option, only_option, {"all", "", "list every point, however many there are"}},
        "campaign",
        run};
}

}  // namespace rt
