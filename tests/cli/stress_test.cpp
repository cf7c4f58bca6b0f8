// A receiver under stress: calibrated ingredients, errors in what comes back, what goes wrong with them.
#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "tests/cli/stressed.hpp"

TEST_CASE("the demo's receiver: each ingredient is met at the reference plane, tolerance over frequency") {
    Receiver receiver;
    const Said said = receiver.run();
    CHECK_MESSAGE(said.code == 1, said.err);
    const auto run = receiver.record();
    // What the last trial before each value saw is within the tolerance of its target.
    struct Met {
        const char *test, *result;
        double target, tolerance;
    };
    for (const auto& met : {Met{"amplitude", "eye_amplitude", 0.35, 0.004},
                            {"random", "random_jitter", 6e-12, 0.3e-12},
                            {"sinusoidal", "periodic_jitter", 60e-12, 2e-12}}) {
        CAPTURE(met.test);
        const rt::lab::PointRecord* trial = nullptr;
        for (const auto& point : run.points) {
            if (point.test == met.test && point.kind == rt::lab::PointKind::trial) trial = &point;
        }
        REQUIRE(trial);
        CHECK(result(*trial, met.result) == within(met.tolerance, met.target));
    }
    // 60 ps of 400 ps; what is set for the eye is more than is there, for the cable takes some.
    CHECK(result(last_of(run, "sinusoidal"), "set_sinusoidal") == within(0.006, 0.15));
    CHECK(result(last_of(run, "amplitude"), "set_amplitude") > 0.36);
    const auto& stressed = last_of(run, "stressed");
    CHECK(result(stressed, "bit_errors") == 0);
    CHECK(result(stressed, "bits") == within(2000, 99950));
    CHECK(stressed.findings.at(0).verdict == Verdict::pass);
    // A loop of 1.2 MHz follows ever less above it: the tolerance falls, and ends where only the eye counts.
    std::vector<double> tolerance;
    std::vector<Verdict> verdicts;
    for (const auto& point : run.points) {
        if (point.test != "tolerance" || point.kind != rt::lab::PointKind::threshold) continue;
        tolerance.push_back(result(point, "tolerance"));
        verdicts.push_back(point.findings.at(0).verdict);
    }
    REQUIRE(tolerance.size() == 4);
    for (std::size_t i = 1; i < tolerance.size(); ++i) CHECK(tolerance[i] <= tolerance[i - 1] + 0.11);
    CHECK(tolerance[3] == within(0.2, 0.7));
    CHECK(verdicts == std::vector{Verdict::fail, Verdict::pass, Verdict::pass, Verdict::pass});
}

TEST_CASE("a stress that does not converge leaves nothing judged that needs it") {
    Receiver receiver;
    receiver.only_stressed();
    // Twenty picoseconds of its own jitter would have to be taken away.
    Receiver::replace(receiver.campaign, "target = \"6 ps\"", "target = \"0.1 ps\"");
    Receiver::replace(receiver.campaign, "tolerance = \"0.3 ps\"", "tolerance = \"0.01 ps\"");
    const Said said = receiver.run();
    CHECK(said.code == 4);
    const auto& stressed = last_of(receiver.record(), "stressed");
    CHECK(stressed.findings.at(0).verdict == Verdict::none);
    CHECK_MESSAGE(stressed.findings.at(0).reason.find("random") != std::string::npos,
                  stressed.findings.at(0).reason);
}

TEST_CASE("a receiver that sends nothing back, or something else, gets no verdict") {
    SUBCASE("not in loop-back") {
        Receiver receiver;
        receiver.only_stressed();
        Receiver::replace(receiver.campaign, "\"unit.loop\" = \"ON\"", "\"unit.loop\" = \"OFF\"");
        receiver.run();
        const auto run = receiver.record();
        CHECK(last_of(run, "stressed").findings.at(0).verdict == Verdict::none);
    }
    SUBCASE("another sequence") {
        Receiver receiver;
        receiver.only_stressed();
        Receiver::replace(receiver.bench, "pattern = \"prbs7\"", "pattern = \"prbs9\"");
        receiver.run();
        const auto run = receiver.record();
        const auto& finding = last_of(run, "stressed").findings.at(0);
        CHECK(finding.verdict == Verdict::none);
        CHECK_MESSAGE(finding.reason.find("not the sequence prbs7") != std::string::npos, finding.reason);
    }
    SUBCASE("a receiver so noisy that errors are plain fails") {
        Receiver receiver;
        receiver.only_stressed();
        Receiver::replace(receiver.unit, "noise = \"6 mV\"", "noise = \"70 mV\"");
        receiver.run();
        const auto run = receiver.record();
        const auto& point = last_of(run, "stressed");
        CHECK(result(point, "bit_errors") > 10);
        CHECK(point.findings.at(0).verdict == Verdict::fail);
    }
}

TEST_CASE("check finds what the generator cannot do, and what is no setting of it") {
    const auto refused = [](const char* old, const char* by, const std::string& words) {
        Receiver receiver;
        receiver.replace_one(old, by);
        const Said said = receiver.tell({"check", "campaign.toml"});
        CHECK_MESSAGE(said.code == 2, by);
        CHECK_MESSAGE(said.err.find(words) != std::string::npos, said.err);
    };
    refused("symbols = \"25000\"", "symbols = \"1200000\"", "beyond the highest samples");
    refused("rise = \"70 ps\"", "sample_rate = \"80 GHz\"", "beyond the highest rate");
    refused("to = \"900 mV\"", "to = \"1.2 V\"", "beyond the highest amplitude");
    refused("pattern = \"prbs7\"", "pattern = \"prsb7\"", "did you mean \"prbs7\"");
    refused("pattern = \"prbs7\"", "pattern = \"bits:@mine.txt\"", "mine.txt");
    refused("\"stress.sinusoidal_frequency\" = \"20 MHz\"", "\"stress.sinusoidal_frequncy\" = \"20 MHz\"",
            "has no setting");
    refused("\"stress.output\" = \"ON\"", "\"stress.rate\" = \"1 GHz\"", "follows from the signal");
    refused("signal = \"link.pattern\"", "signal = \"link.patern\"", "did you mean \"link.pattern\"");
    refused("signal = \"link.pattern\"", "", "goes with signal");
    refused("values = [\"1 MHz\"", "values = [\"10 kHz\"", "less than one cycle");
}

TEST_CASE("a pattern and a channel of the user's own are kept with the run, and judged from there") {
    Receiver receiver;
    receiver.only_stressed();
    // One period of prbs7, in the user's own file.
    std::string bits = "# one period\n";
    unsigned state = 0x7f;
    for (int i = 0; i < 127; ++i) {
        const unsigned bit = (state >> 6 ^ state >> 5) & 1;
        state = (state << 1 | bit) & 0x7f;
        bits += bit ? "1" : "0";
        if (i % 16 == 15) bits += "\n";
    }
    receiver.folder.write("mine.txt", bits);
    receiver.folder.write("line.s2p", "# GHz S RI R 50\n0.01 0 0 0.9 0 0.9 0 0 0\n10 0 0 0.9 0 0.9 0 0 0\n");
    Receiver::replace(receiver.bench, "pattern = \"prbs7\"", "pattern = \"bits:@mine.txt\"");
    Receiver::replace(receiver.bench, "signal = \"link.pattern\"",
                      "signal = \"link.pattern\"\nsignal_through = \"line.s2p\"");
    const Said said = receiver.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(result(last_of(receiver.record(), "stressed"), "sequence_stages") == 7);
    std::filesystem::remove(receiver.folder / "mine.txt");
    std::filesystem::remove(receiver.folder / "line.s2p");
    const Said again = receiver.tell({"judge", "run"});
    CHECK_MESSAGE(again.code == 0, again.err);
}
