// Stressed signals as files, under faults, cut off and carried on.
#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "tests/cli/stressed.hpp"

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
