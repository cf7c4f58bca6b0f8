// JSON Schemas of our files: what the reader takes they take too, and slips they find.
#include "lab/catalogue/config_schema.hpp"

#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "lab/catalogue/config_files.hpp"
#include "tests/json_schema.hpp"
#include "tests/lab/folder.hpp"

using namespace rt::lab;
using Json = nlohmann::json;

namespace {

Json json_of(const ConfigNode& node) {
    switch (node.kind) {
        case ConfigNode::Kind::whole:
            return node.whole;
        case ConfigNode::Kind::number:
            return rt::to_double(node.text).value();
        case ConfigNode::Kind::flag:
            return node.flag;
        case ConfigNode::Kind::list: {
            Json out = Json::array();
            for (const auto& item : node.items) out.push_back(json_of(item));
            return out;
        }
        case ConfigNode::Kind::table: {
            Json out = Json::object();
            for (const auto& [key, value] : node.entries) out[key] = json_of(value);
            return out;
        }
        default:
            return node.text;
    }
}

std::string schema_named(const std::string& name) {
    for (const auto* file : config_files()) {
        if (name == file->name) return config_schema(*file);
    }
    FAIL(name);
    return "";
}

}  // namespace

TEST_CASE("every shipped file fits the schema of its kind") {
    const std::filesystem::path source = RT_SOURCE;
    std::size_t looked_at = 0;
    const auto fits = [&](const char* kind, const std::filesystem::path& file) {
        const std::string why =
            against(schema_named(kind), json_of(parse_config(read_file(file), file.string())));
        CHECK_MESSAGE(why.empty(), file, " ", why);
        ++looked_at;
    };
    for (const auto& entry : std::filesystem::directory_iterator(source / "rulebooks"))
        fits("rulebook", entry.path());
    for (const auto& entry : std::filesystem::directory_iterator(source / "dialects"))
        fits("dialect", entry.path());
    for (const auto& entry : std::filesystem::recursive_directory_iterator(source / "demo")) {
        const std::string name = entry.path().filename().string();
        if (entry.path().string().find("/wrong/") != std::string::npos) continue;
        if (name == "bench.toml") fits("bench", entry.path());
        if (name == "campaign.toml") fits("campaign", entry.path());
    }
    CHECK(looked_at > 50);
}

TEST_CASE("a schema finds slips: an unknown key, a wrong kind, a key that is missing") {
    const std::string schema = schema_named("campaign");
    Json campaign = json_of(
        parse_config(read_file(std::filesystem::path(RT_SOURCE) / "demo/receiver/campaign.toml"), "c.toml"));
    REQUIRE(against(schema, campaign).empty());
    Json slip = campaign;
    slip["test"][0]["tilte"] = "x";
    CHECK_FALSE(against(schema, slip).empty());
    slip = campaign;
    slip["test"][0]["repeats"] = "often";
    CHECK_FALSE(against(schema, slip).empty());
    slip = campaign;
    slip["unit"].erase("serial");
    CHECK_FALSE(against(schema, slip).empty());
    // What is like an earlier test may leave its procedure out; another may not.
    slip = campaign;
    slip["test"][1].erase("procedure");
    CHECK_FALSE(against(schema, slip).empty());
    slip["test"][1]["like"] = "errors-counted";
    CHECK(against(schema, slip).empty());
}
