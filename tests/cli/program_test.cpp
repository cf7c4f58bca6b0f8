// The program as a whole: help, versions, commands, terminals, documentation.
#include <doctest/doctest.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "tests/about.hpp"
#include "tests/cli/world.hpp"

namespace {

const std::filesystem::path source = RT_SOURCE;
const std::vector<std::string> names{"demo",   "draft",  "field",    "check",   "run",    "make",  "measure",
                                     "report", "export", "judge",    "compare", "verify", "rules", "bench",
                                     "find",   "push",   "dialects", "explain", "sign",   "each",  "trend"};

// A result of a run's JSON by point; there is at least one.
std::map<std::string, double> values_of(const nlohmann::json& run, const std::string& name) {
    std::map<std::string, double> out;
    for (const auto& result : run["results"]) {
        if (result["name"] == name) out[result["point"].get<std::string>()] = result["value"].get<double>();
    }
    REQUIRE_MESSAGE(!out.empty(), name);
    return out;
}

}  // namespace

TEST_CASE("the overview lists every command, and every command explains itself with an example") {
    TestFolder folder;
    const Said overview = rare_tally(folder.path(), {});
    CHECK(overview.code == 0);
    for (const auto& name : names) {
        CAPTURE(name);
        CHECK(contains(overview.out, "\n  " + name + " "));
        const Said help = rare_tally(folder.path(), {name, "--help"});
        CHECK(help.code == 0);
        CHECK(contains(help.out, "Example:\n  rare-tally " + name));
        for (const char* option : {"--json", "--quiet", "--verbose", "--help"})
            CHECK(contains(help.out, option));
    }
    CHECK(rare_tally(folder.path(), {"--version"}).out.starts_with("Rare Tally "));
}

TEST_CASE("slips on the command line get one line and a way out") {
    TestFolder folder;
    const auto slip = [&](std::vector<std::string> arguments) {
        const Said said = rare_tally(folder.path(), std::move(arguments));
        CHECK(said.code == 2);
        CHECK(said.out.empty());
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(slip({"chekc"}) == "rare-tally: unknown command \"chekc\": did you mean \"check\"?\n");
    CHECK(contains(slip({"check"}), "check needs one campaign file"));
    CHECK(contains(slip({"check", "a", "b"}), "check needs one campaign file"));
    CHECK(contains(slip({"run", "x.toml", "--colour"}), "see rare-tally run --help"));
    CHECK(contains(slip({"rules", "draw"}), "needs at least one rule"));
    CHECK(contains(slip({"rules", "shwo"}), "did you mean \"show\"?"));
    CHECK(contains(slip({"report", "nowhere"}), "is no run folder"));
    CHECK(contains(slip({"measure", "emission.scan"}), "measure needs a procedure and a capture file"));
    CHECK(contains(slip({"draft"}), "draft needs a folder"));
}

TEST_CASE("the demo: mostly PASS, some MARGINAL, one FAIL, NONE for overload") {
    TestFolder folder;
    const Said said = rare_tally(folder.path(), {"demo"});
    CHECK(said.code == 1);
    CHECK(contains(said.out, "1 FAIL, 7 NONE\n"));
    CHECK(contains(said.out,
                   "look at    receiver-map, channel=26, mode=normal: packet error ratio, outlying curve"));
    CHECK(contains(said.out, "all fifteen runs in one report: "));
    CHECK(contains(said.out, "analyser overloaded"));
    const auto results =
        nlohmann::json::parse(rt::lab::read_file(folder / "tally-demo/run/report/results.json"));
    CHECK(results["findings"].size() == 49);
    CHECK(results["counts"]["PASS"].get<int>() >= 6);
    CHECK(results["counts"]["MARGINAL"].get<int>() >= 1);
    CHECK(results["counts"]["FAIL"] == 1);
    CHECK(results["counts"]["NONE"] == 7);
    // The radio is set to 0 dBm and 8 dBm; with the rms detector the channel power says so.
    for (const auto& [point, power] : values_of(results, "channel_power")) {
        CAPTURE(point);
        const double set = contains(point, "level=8 dBm") ? 8 : 0;
        const double mismatch = point == "channel=26, level=8 dBm" ? 0.8 : 0;
        CHECK(std::abs(power - set - mismatch) < 0.3);
    }
    // The modulation of a point that is not overloaded is that of the simulated radio.
    for (const auto& [point, ppm] : values_of(results, "symbol_rate_error"))
        CHECK(ppm == about(11.5).epsilon(0.2));
    for (const auto& [point, db] : values_of(results, "iq_offset")) CHECK(db == about(-31).epsilon(0.05));
    // The chamber: candidates near the limit, each maximised and read.
    const auto chamber =
        nlohmann::json::parse(rt::lab::read_file(folder / "tally-demo/chamber/report/results.json"));
    CHECK(chamber["counts"]["PASS"].get<int>() + chamber["counts"]["MARGINAL"].get<int>() == 10);
    CHECK(chamber["counts"]["MARGINAL"].get<int>() >= 1);
    CHECK(contains(said.out, "  frequency=48 MHz, azimuth=1"));
    // The serial bench: the long cable at low drive closes the eye, one bit of the sensor bus comes late.
    const auto link =
        nlohmann::json::parse(rt::lab::read_file(folder / "tally-demo/link/report/results.json"));
    std::vector<std::string> failed;
    for (const auto& finding : link["findings"]) {
        if (finding["verdict"] == "FAIL") failed.push_back(finding["rule"]);
    }
    std::sort(failed.begin(), failed.end());
    CHECK(failed ==
          std::vector<std::string>{"i2c/fast-data-valid", "nrz-link/mask-far", "nrz-link/total-jitter"});
    for (const auto& [point, ppm] : values_of(link, "rate_error")) CHECK(ppm == about(-18).epsilon(0.05));
    // 2.2 ps of edges, and noise of 5 mV on slopes of 1.45 or 2.9 mV/ps: an error function of 90 ps from 20 %
    // to 80 % of 194 or 388 mV.
    const auto jitter = values_of(link, "random_jitter");
    const auto short_cable = [&](const char* drive) {
        return jitter.at(std::string("cable=1 m, drive=") + drive);
    };
    CHECK(short_cable("low") == about(std::hypot(2.2e-12, 3.45e-12)).epsilon(0.12));
    CHECK(short_cable("high") == about(std::hypot(2.2e-12, 1.73e-12)).epsilon(0.12));
    for (const auto& [point, valid] : values_of(link, "data_valid_greatest"))
        CHECK(valid == about(0.35e-6 + 0.76e-6).epsilon(0.2));
    // The wafer: two dies at the edge fail, one is dead and one without contact.
    const auto wafer =
        nlohmann::json::parse(rt::lab::read_file(folder / "tally-demo/probes/report/results.json"));
    CHECK(wafer["counts"]["FAIL"] == 2);
    CHECK(wafer["counts"]["NONE"] == 4);
    // The wired ports: the compressing stage distorts, the unit suspends too late.
    const auto ports =
        nlohmann::json::parse(rt::lab::read_file(folder / "tally-demo/ports/report/results.json"));
    CHECK(ports["counts"]["NONE"] == 0);
    failed.clear();
    for (const auto& finding : ports["findings"]) {
        if (finding["verdict"] == "FAIL") failed.push_back(finding["rule"]);
    }
    std::sort(failed.begin(), failed.end());
    CHECK(failed == std::vector<std::string>{"ieee-802.3/100base-t1-distortion", "usb-2.0/suspend"});
    for (const auto& [point, time] : values_of(ports, "suspend_time"))
        CHECK(time == about(3.18e-3).epsilon(1e-3));
    // 92 ohm with 430 ps at 100 MHz.
    for (const auto& [point, db] : values_of(ports, "least_return_loss"))
        CHECK(db == about(16.74).epsilon(0.01));
    for (const auto& [point, volts] : values_of(ports, "disturber_amplitude"))
        CHECK(volts == about(5.4).epsilon(1e-3));
    // The chamber judges by the CISPR rule with what its bench declares.
    std::size_t declared = 0;
    for (const auto& finding : chamber["findings"]) {
        if (finding["uncertainty"].is_null()) continue;
        ++declared;
        CHECK(finding["uncertainty"].get<double>() > 3);
        CHECK(finding["guard"] == 0);
    }
    CHECK(declared > 0);
    CHECK_FALSE(contains(said.out, "dwell=1 ms"));
    // Each by its name, too.
    const Said list = rare_tally(folder.path(), {"demo", "--list"});
    for (const char* name : {"chamber", "link", "ports", "radio"}) CHECK(contains(list.out, name));
    CHECK(lines(list.out) == 15);
    const Said unknown = rare_tally(folder.path(), {"demo", "chambre"});
    CHECK(unknown.code == 2);
    CHECK(contains(unknown.err, "did you mean \"chamber\"?"));
    // Never over an earlier one.
    CHECK(rare_tally(folder.path(), {"demo", "--out", "tally-demo"}).code == 2);
    CHECK(std::filesystem::exists(folder / "tally-demo/run/tally.sqlite"));
}

TEST_CASE("a draft can be checked and run as it is") {
    TestFolder folder;
    CHECK(rare_tally(folder.path(), {"draft", "mine"}).code == 0);
    CHECK(rare_tally(folder.path(), {"check", "mine/campaign.toml"}).code == 0);
    const Said run = rare_tally(folder.path(), {"run", "mine/campaign.toml", "--out", "r", "-q"});
    CHECK(run.code == 0);
    CHECK(run.err.empty());
    CHECK(contains(run.out, "4 PASS"));
    // Every other kind too: what it is about is in front of a newcomer, complete.
    const Said list = rare_tally(folder.path(), {"draft", "--list"});
    std::size_t drafts = 0;
    for (std::size_t at = 0; at < list.out.size(); at = list.out.find('\n', at) + 1, ++drafts) {
        const std::size_t begin = list.out.find_first_not_of(' ', at);
        const std::string name = list.out.substr(begin, list.out.find(' ', begin) - begin);
        CAPTURE(name);
        const Said drawn = rare_tally(folder.path(), {"draft", name, "--kind", name});
        CHECK(drawn.code == 0);
        const std::size_t next = drawn.out.find("rare-tally check ") + 17;
        const std::string campaign = drawn.out.substr(next, drawn.out.find('\n', next) - next);
        const Said checked = rare_tally(folder.path(), {"check", campaign});
        CHECK_MESSAGE(checked.code == 0, checked.err);
    }
    CHECK(drafts >= 15);
    CHECK(contains(rare_tally(folder.path(), {"draft", "x", "--kind", "recever"}).err,
                   "did you mean \"receiver\""));
    const Said again = rare_tally(folder.path(), {"draft", "mine"});
    CHECK(again.code == 2);
    CHECK(contains(again.err, "exists already and is never overwritten"));
}

TEST_CASE("rules: list, show, draw") {
    TestFolder folder;
    const Said list = rare_tally(folder.path(), {"rules", "list", "cispr-32", "ieee-802.15.4"});
    CHECK(contains(list.out, "cispr-32/mains-b-qp"));
    CHECK(contains(list.out, "ieee-802.15.4/oqpsk-psd-mask"));
    const auto all = nlohmann::json::parse(rare_tally(folder.path(), {"rules", "list", "--json"}).out);
    CHECK(all.size() == 548);
    const Said show = rare_tally(folder.path(), {"rules", "show", "cispr-32/mains-b-qp"});
    CHECK(contains(show.out, "at most  150 kHz to 500 kHz: 66 dBµV to 56 dBµV, linear in log frequency"));
    CHECK(contains(show.out, "not signed off by the laboratory"));
    CHECK(contains(show.out, "without the document at hand"));
    CHECK(rare_tally(folder.path(),
                     {"rules", "draw", "cispr-32/mains-b-qp", "cispr-32/mains-b-av", "--out", "r.svg"})
              .code == 0);
    CHECK(contains(rt::lab::read_file(folder / "r.svg"), "class B, quasi-peak"));
    CHECK(rare_tally(folder.path(), {"rules", "draw", "ieee-802.15.4", "--out", "m.png"}).code == 0);
    const Said mixed =
        rare_tally(folder.path(), {"rules", "draw", "cispr-32/mains-b-qp", "cispr-32/radiated-b-3m"});
    CHECK(mixed.code == 2);
    CHECK(contains(mixed.err, "do not share one pair of axes"));
}

TEST_CASE("no colour goes into files, and a terminal's wish for none is obeyed") {
    const World world;
    const Said said = world.run();
    CHECK_FALSE(contains(said.out + said.err, "\x1b["));
    // On a terminal: script gives the program one, where the machine has pseudo-terminals.
    const auto on_terminal = [&](const std::string& command, Environment environment) {
        environment.emplace_back("TERM", "xterm");
        return run_in(world.folder.path(), "/usr/bin/script", {"-qec", command, "/dev/null"}, environment)
            .out;
    };
    if (!contains(on_terminal("test -t 1 && echo yes", {}), "yes")) {
        MESSAGE("no pseudo-terminal here: colours were not looked at");
        return;
    }
    CHECK(contains(on_terminal(binary() + " rules", {}), "\x1b["));
    CHECK_FALSE(contains(on_terminal(binary() + " rules", {{"NO_COLOR", "1"}}), "\x1b["));
}

TEST_CASE("installed, the program finds its files beside it") {
    TestFolder folder;
    std::filesystem::create_directories(folder / "usr/bin");
    std::filesystem::copy(binary(), folder / "usr/bin/rare-tally");
    const Said alone = run_in(folder.path(), (folder / "usr/bin/rare-tally").string(), {"rules"});
    CHECK(alone.code == 2);
    CHECK(contains(alone.err, "the program's own files are missing"));
    std::filesystem::create_directories(folder / "usr/share/rare-tally");
    for (const char* part : {"rulebooks", "dialects", "demo"}) {
        std::filesystem::copy(source / part, folder / "usr/share/rare-tally" / part,
                              std::filesystem::copy_options::recursive);
    }
    const std::string installed = (folder / "usr/bin/rare-tally").string();
    CHECK(run_in(folder.path(), installed, {"draft", "mine"}).code == 0);
    CHECK(run_in(folder.path(), installed, {"run", "mine/campaign.toml", "--out", "r", "-q"}).code == 0);
}

TEST_CASE("the reference pages are those of the readers' tables") {
    const Said kinds = run_in(source, in_build("make-reference"), {});
    std::size_t pages = 0;
    for (std::size_t at = 0; at < kinds.out.size();) {
        const std::size_t end = kinds.out.find('\n', at);
        const std::string kind = kinds.out.substr(at, end - at);
        std::string file = kind;
        std::replace(file.begin(), file.end(), ' ', '-');
        CAPTURE(kind);
        const std::string page = rt::lab::read_file(source / "docs/reference" / (file + ".md"));
        CHECK_MESSAGE(run_in(source, in_build("make-reference"), {kind}).out == page,
                      "run scripts/update-docs");
        std::string schema = file;
        CHECK_MESSAGE(run_in(source, in_build("make-reference"), {"schema", kind}).out ==
                          rt::lab::read_file(source / "docs/schemas" / (schema + ".schema.json")),
                      "run scripts/update-docs");
        at = end + 1;
        ++pages;
    }
    CHECK(pages == 14);
}

TEST_CASE("the campaign in the documentation is a good one") {
    const std::string page = rt::lab::read_file(source / "docs/campaigns.md");
    const auto begin = page.find("```toml\n") + 8;
    TestFolder folder;
    folder.write("campaign.toml", page.substr(begin, page.find("```", begin) - begin));
    for (const char* file : {"bench.toml", "skerry-2.toml", "network-n3.csv"})
        std::filesystem::copy(source / "demo" / file, folder / file);
    const Said check = rare_tally(folder.path(), {"check", "campaign.toml"});
    CHECK(check.err.empty());
    CHECK(contains(check.out, "8 points, estimated"));
    folder.write("answers.toml", "serial = \"SK2-0042\"\n");
    const Said run = rare_tally(folder.path(),
                                {"run", "campaign.toml", "--answers", "answers.toml", "--unattended", "-q"});
    CHECK(run.code == 4);  // channel 18 overloads the analyser, as in the demo
    CHECK(contains(run.out, "run complete: 7 PASS, 0 MARGINAL, 0 FAIL, 1 NONE"));
}

TEST_CASE("commands in the documentation exist") {
    for (const char* file :
         {"README.md", "docs/guide.md", "docs/architecture.md", "docs/json.md", "docs/tally.md",
          "docs/simulation.md", "docs/campaigns.md", "docs/bench.md", "docs/afterwards.md", "docs/judging.md",
          "docs/store.md", "docs/new-instrument.md", "docs/signals.md", "docs/measurements/stress.md",
          "docs/tutorial.md", "docs/driving.md", "docs/field.md"}) {
        const std::string text = rt::lab::read_file(source / file);
        for (std::size_t at = 0; (at = text.find("rare-tally ", at)) != std::string::npos; at += 11) {
            const std::size_t word_end = text.find_first_of(" \n`,.;:)", at + 11);
            const std::string word = text.substr(at + 11, word_end - at - 11);
            if (word.empty() || word == "help" || !std::islower(static_cast<unsigned char>(word[0])))
                continue;
            CAPTURE(file);
            CAPTURE(word);
            CHECK(std::find(names.begin(), names.end(), word) != names.end());
        }
    }
}
