// What is given to other programs, against its schema.
#include "tests/cli/stand.hpp"
#include "tests/json_schema.hpp"

namespace {

std::string results_schema() {
    return rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "docs/schemas/results.schema.json");
}

}  // namespace

TEST_CASE("results of runs, of their reports and of single measurements fit the schema, verdict or none") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.write();
    const Said run = stand.call({"run", "campaign.toml", "--out", "run", "--no-live", "--json"});
    CHECK(run.code == 1);
    const std::string schema = results_schema();
    const auto json = nlohmann::json::parse(run.out);
    CHECK_MESSAGE(against(schema, json).empty(), against(schema, json));
    CHECK(json["findings"].size() == 2);
    const auto report = nlohmann::json::parse(rt::lab::read_file(stand.folder / "run/report/results.json"));
    CHECK_MESSAGE(against(schema, report).empty(), against(schema, report));
    stand.folder.write("counts.csv", "packets_sent,packets_received\n100,97\n");
    for (const char* limit : {"packet_error_ratio <= 1 %", "bit_error_ratio <= 1e-3"}) {
        const Said one =
            stand.call({"measure", "receiver.error-rate", "counts.csv", "--limit", limit, "--json"});
        const auto measured = nlohmann::json::parse(one.out);
        CHECK_MESSAGE(against(schema, measured).empty(), against(schema, measured));
    }
    // It finds what is none.
    auto wrong = json;
    wrong["findings"][0]["verdict"] = "perhaps";
    CHECK_FALSE(against(schema, wrong).empty());
    wrong = json;
    wrong["results"][0].erase("unit");
    CHECK_FALSE(against(schema, wrong).empty());
}
