// A receiver under stress, from the made signal to its tolerance: the shipped campaign, signals as files,
// what check refuses, what gets no verdict.
#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"

using rt::Verdict;

namespace {

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
const rt::lab::PointRecord& last_of(const rt::lab::RunRecord& run, const std::string& test) {
    const rt::lab::PointRecord* out = nullptr;
    for (const auto& point : run.points) {
        if (point.test == test) out = &point;
    }
    REQUIRE_MESSAGE(out, test);
    return *out;
}

}  // namespace

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

TEST_CASE("make writes what measure finds, and says how a wish was moved") {
    TestFolder folder;
    const auto make = [&](std::vector<std::string> more) {
        std::vector<std::string> all{"make", "link.pattern", "--set", "symbol_rate=2.5 GHz"};
        all.insert(all.end(), more.begin(), more.end());
        return rare_tally(folder.path(), all);
    };
    const Said said = make({"--set", "symbols=30000", "--set", "sinusoidal_jitter=0.1 UI", "--set",
                            "sinusoidal_frequency=7 MHz", "--set", "random_jitter=0.01 UI", "--save",
                            "stressed.sigmf-meta"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(said.out.find("sinusoidal_frequency") != std::string::npos);
    const Said measured = rare_tally(folder.path(), {"measure", "serial.jitter", "stressed.sigmf-meta",
                                                     "--set", "symbol_rate=2.5 GHz", "--json"});
    const auto tree = nlohmann::json::parse(measured.out);
    const auto value = [&](const std::string& name) {
        for (const auto& one : tree.at("results")) {
            if (one.at("name") == name) return one.at("value").get<double>();
        }
        FAIL("no " << name);
        return 0.0;
    };
    // 0.1 UI and 0.01 UI of 400 ps; duty-cycle distortion none.
    CHECK(value("periodic_jitter") == about(40e-12).epsilon(0.02));
    CHECK(value("periodic_frequency") == about(7e6).epsilon(0.01));
    CHECK(value("duty_cycle_distortion") == within(0.1e-12, 0));

    CHECK(rare_tally(folder.path(), {"make"}).out.find("link.pattern") != std::string::npos);
    const auto refused = [&](std::vector<std::string> more, const std::string& words) {
        const Said no = make(std::move(more));
        CHECK(no.code == 2);
        CHECK_MESSAGE(no.err.find(words) != std::string::npos, no.err);
        CHECK_FALSE(std::filesystem::exists(folder / "x.sigmf-meta"));
    };
    folder.write("odd.txt", "0101\n01x1\n");
    refused({"--set", "pattern=bits:@odd.txt", "--save", "x.sigmf-meta"}, "odd.txt:2");
    refused({"--set", "pattern=bits:@none.txt", "--save", "x.sigmf-meta"}, "none.txt");
    refused({"--set", "noise=3", "--save", "x.sigmf-meta"}, "noise");
    refused({"--set", "nois=3 mV", "--save", "x.sigmf-meta"}, "did you mean");
    refused({"--save", "x.csv"}, "written as SigMF");
    refused({"--save", "nowhere/x.sigmf-meta"}, "there is no folder");
    refused({"--set", "noise=3 mV"}, "--save is missing");
}

TEST_CASE("whatever befalls the generator on the way, a receiver that fails under stress never passes") {
    int touched = 0;
    for (const char* kind : {"restart", "panel", "drop", "error-entry"}) {
        for (const char* after : {"40"}) {
            CAPTURE(kind);
            CAPTURE(after);
            Receiver receiver;
            receiver.only_stressed();
            Receiver::replace(receiver.unit, "noise = \"6 mV\"", "noise = \"70 mV\"");
            Receiver::replace(receiver.bench, "role = \"stress\"",
                              "role = \"stress\"\ntimeout = \"1 s\"\nretries = 1");
            receiver.bench += std::string("\n[[simulation.fault]]\nrole = \"stress\"\nkind = \"") + kind +
                              "\"\nafter = " + after + "\ntimes = 1\n";
            const Said said = receiver.run();
            INFO(said.err);
            const auto run = receiver.record();
            for (const auto& point : run.points) {
                for (const auto& finding : point.findings) CHECK(finding.verdict != Verdict::pass);
            }
            touched += !run.points.empty();
        }
    }
    CHECK(touched >= 3);
}

TEST_CASE("a run of played signals that was cut off is carried on to the same values") {
    Receiver whole;
    whole.only_stressed();
    whole.run();
    Receiver cut;
    cut.only_stressed();
    cut.write();
    const pid_t child = start_in(cut.folder.path(), binary(),
                                 {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report", "-q"});
    // In the middle of the second adjustment.
    const auto captures = [&] {
        std::error_code error;
        const std::filesystem::directory_iterator all(cut.folder / "run/captures", error), end;
        return error ? 0 : std::distance(all, end);
    };
    for (int waited = 0; waited < 5000 && captures() < 10; ++waited)
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
    ::kill(child, SIGKILL);
    CHECK(wait_for(child) == 128);
    const auto before = cut.record().points.size();
    REQUIRE(before < whole.record().points.size());
    const Said on = cut.tell({"run", "--resume", "run", "--no-live", "--no-report"});
    CHECK_MESSAGE(on.code == 0, on.err);
    for (const char* test : {"amplitude", "random", "sinusoidal", "stressed"}) {
        CAPTURE(test);
        const auto a = last_of(whole.record(), test), b = last_of(cut.record(), test);
        REQUIRE(a.results.size() == b.results.size());
        // Other trials of the same signal see other noise.
        CHECK(a.results[0].value.value == about(b.results[0].value.value).epsilon(0.2));
    }
}

TEST_CASE("check warns of a record that is longer than a turn with something random in it") {
    Receiver receiver;
    const Said calm = receiver.tell({"check", "campaign.toml"});
    CHECK(calm.out.find("comes again after") == std::string::npos);
    Receiver::replace(receiver.campaign, "duration = \"40 us\"", "duration = \"100 us\"");
    const Said warned = receiver.tell({"check", "campaign.toml"});
    CHECK(warned.code == 0);
    CHECK_MESSAGE(
        warned.out.find("test stressed records 100 µs, and what the stress plays comes again after 40 µs") !=
            std::string::npos,
        warned.out);
}
