// A campaign of the demo in a folder of its own, to be changed and run.
#pragma once

#include <doctest/doctest.h>

#include "lab/tally/tally.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/folder.hpp"

struct ShippedCampaign {
    TestFolder folder;
    std::string campaign, bench, unit;

    // `demo`: its folder; `unit`: the file of the simulated unit; `others`: what else is copied as it is.
    ShippedCampaign(const std::string& demo, std::string unit_file, std::initializer_list<const char*> others)
        : unit_file_(std::move(unit_file)) {
        const std::filesystem::path from = std::filesystem::path(RT_SOURCE) / "demo" / demo;
        for (const char* name : others) folder.write(name, rt::lab::read_file(from / name));
        campaign = rt::lab::read_file(from / "campaign.toml");
        bench = rt::lab::read_file(from / "bench.toml");
        unit = rt::lab::read_file(from / unit_file_);
    }

    static void replace(std::string& text, const std::string& old, const std::string& by) {
        REQUIRE_MESSAGE(text.find(old) != std::string::npos, old);
        text.replace(text.find(old), old.size(), by);
    }
    // Wherever it stands: in the bench, else in the campaign.
    void replace_one(const std::string& old, const std::string& by) {
        replace(bench.find(old) != std::string::npos ? bench : campaign, old, by);
    }
    void write() {
        folder.write("campaign.toml", campaign);
        folder.write("bench.toml", bench);
        folder.write(unit_file_.c_str(), unit);
    }
    Said tell(std::vector<std::string> arguments) {
        write();
        return rare_tally(folder.path(), std::move(arguments));
    }
    rt::lab::RunRecord record(const std::string& out = "run") {
        return rt::lab::Tally::open(folder / out).read();
    }

  private:
    std::string unit_file_;
};

inline double result(const rt::lab::PointRecord& point, const char* name) {
    const auto* found = point.find_result(name);
    REQUIRE_MESSAGE(found, name);
    return found->value.value;
}
