// The demo's receiver under stress, in a folder of its own.
#pragma once

#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"

using rt::Verdict;

struct Receiver : ShippedCampaign {
    Receiver()
        : ShippedCampaign("stress", "simulated-receiver.toml",
                          {"receiver-control.toml", "sample-generator.toml", "limits.toml"}) {}
    Said run() { return tell({"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"}); }
    // Only the tests up to errors under stress, on short records.
    void only_stressed() {
        campaign.resize(campaign.find("[[test]]\nname = \"tolerance\""));
        for (const char* text : {"duration = \"10 us\"", "duration = \"10 us\"", "duration = \"40 us\""})
            replace(campaign, text, "duration = \"8 us\"");
        replace(campaign, "\"100000\"", "\"20000\"");
        // 20,000 bits show no more.
        std::string limits = rt::lab::read_file(folder / "limits.toml");
        replace(limits, "max = \"4e-5\"", "max = \"2e-4\"");
        folder.write("limits.toml", limits);
    }
};

// The last point of a test.
inline const rt::lab::PointRecord& last_of(const rt::lab::RunRecord& run, const std::string& test) {
    const rt::lab::PointRecord* out = nullptr;
    for (const auto& point : run.points) {
        if (point.test == test) out = &point;
    }
    REQUIRE_MESSAGE(out, test);
    return *out;
}
