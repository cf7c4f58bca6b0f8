// A campaign of the shipped starter, run once.
#pragma once

#include <nlohmann/json.hpp>

#include "tests/cli/stand.hpp"

struct Starter {
    TestFolder folder;
    Starter() {
        REQUIRE(rare_tally(folder.path(), {"draft", "mine"}).code == 0);
        REQUIRE(rare_tally(folder.path(), {"run", "mine/campaign.toml", "--out", "a", "-q"}).code == 0);
    }
    Said say(std::vector<std::string> words) const { return rare_tally(folder.path(), std::move(words)); }
    nlohmann::json results(const std::string& run) const {
        return nlohmann::json::parse(rt::lab::read_file(folder / (run + "/report/results.json")));
    }
};
