// Everything that can go wrong with an instrument: the run ends, in bounded time, and never with a false
// PASS.
#include <doctest/doctest.h>

#include <chrono>

#include "core/base/error.hpp"
#include "tests/cli/stand.hpp"
#include "tests/lab/fake_instrument.hpp"

using rt::Verdict;
using rt::lab::PointKind;

namespace {

// All instruments in one campaign: what is undisturbed passes.
Stand everything() {
    Stand stand;
    stand.tests =
        Stand::scanning(
            "scan",
            Stand::axis("angle",
                        "values = [\"0 deg\", \"30 deg\"]\nunit = \"deg\"\nsets = [\"table.angle\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n" +
        "[[test]]\nname = \"cal\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\nparameters = { "
        "sent = \"0 dBm\", "
        "frequency = \"1 GHz\" }\nsettings = { \"generator.level\" = \"0 dBm\", \"generator.output\" = "
        "\"ON\", "
        "\"generator.frequency\" = \"1 GHz\", \"attenuator.attenuation\" = \"0 dB\" }\n[[test.judge]]\nrule "
        "= \"own/loss\"\n" +
        Stand::counting(
            "link",
            Stand::axis("level",
                        "values = [\"-50 dBm\", \"-60 dBm\"]\nunit = \"dBm\"\nsets = [\"generator.level\"]") +
                Stand::axis("mode", "values = [\"a\", \"b\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/errors\"\n";
    stand.watches =
        "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"100 mA\"\n";
    return stand;
}

}  // namespace

TEST_CASE("undisturbed, the campaign of the fault plan passes") {
    const Said said = everything().run();
    CHECK(said.code == 0);
    CHECK(contains(said.out, "6 PASS, 1 MARGINAL"));
}

TEST_CASE("every fault at every role ends in trouble or without verdict, in bounded time") {
    const std::vector<std::string> roles{"analyser", "generator", "attenuator", "power-meter",
                                         "counter",  "table",     "supply",     "unit"};
    for (const auto& role : roles) {
        for (const std::string kind : {"slow", "silent", "drop", "garbage", "half-block", "error-entry"}) {
            CAPTURE(role);
            CAPTURE(kind);
            Stand stand = everything();
            stand.timeout = "400 ms";
            // After the identity, so that the run is under way.
            stand.simulation = "[[simulation.fault]]\nrole = \"" + role + "\"\nkind = \"" + kind +
                               "\"\nafter = 1\ndelay = \"700 ms\"\n";
            const auto start = std::chrono::steady_clock::now();
            const Said said = stand.run();
            const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - start;
            CHECK((said.code == 3 || said.code == 4));
            CHECK(passed.count() < 12);
            const auto run = stand.record();
            const auto complaint = std::min(said.err.find("rare-tally:"), said.err.size());
            CHECK(lines(said.err.substr(complaint)) == (said.code == 3 ? 1 : 0));
            CHECK((said.code == 3 || run.counts().none > 0));
            // Nothing that was touched by the fault passes: whatever has passed did so before it.
            CHECK(run.fact("state") == (said.code == 3 ? "aborted" : "complete"));
            for (const auto& point : run.points) {
                for (const auto& f : point.findings)
                    CHECK(f.margin.has_value() == (f.verdict != Verdict::none));
            }
        }
    }
}

TEST_CASE("overload, drift, wrong mode and a hung unit are never a PASS that they spoil") {
    const auto with = [](const std::string& role, const std::string& kind, long after = 3) {
        Stand stand = everything();
        stand.simulation = "[[simulation.fault]]\nrole = \"" + role + "\"\nkind = \"" + kind +
                           "\"\nafter = " + std::to_string(after) + "\n";
        return stand;
    };
    for (const std::string role : {"analyser", "power-meter", "counter"}) {
        CAPTURE(role);
        const Stand stand = with(role, "overload", 1);
        const Said said = stand.run();
        if (role == "counter") continue;  // its dialect has no overload status
        CHECK(said.code == 4);
        CHECK(contains(said.out, role + " overloaded"));
    }
    // The unit falls silent: trouble. With a supply to cycle and a retry, it is brought back.
    Stand hung = with("unit", "hang", 2);
    hung.timeout = "1 s";
    CHECK(hung.run().code == 3);
    Stand rescued = with("unit", "hang", 5);
    rescued.timeout = "4 s";
    rescued.instrument_keys["unit"] = "retries = 2\n";
    rescued.instrument_keys["supply"] = "off_time = \"10 ms\"\n";
    for (std::size_t at = 0; (at = rescued.tests.find("[[test]]\n", at)) != std::string::npos; at += 9)
        rescued.tests.insert(at + 9, "power_cycle = \"supply\"\n");
    const Said back = rescued.run();
    CHECK(back.code == 0);
    CHECK(contains(back.err, "       retry: unit at"));
    CHECK(contains(back.err, "       power: the unit's supply was switched off for 10 ms"));
}

TEST_CASE("a signal that is not the one expected is looked at again, then has no verdict") {
    Stand stand;
    stand.instrument_keys["power-meter"] = "zero = true\n";
    stand.tests =
        "[[test]]\nname = \"loss\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\nredo = 2\n"
        "parameters = { sent = \"0 dBm\", frequency = \"1 GHz\" }\nsettings = { \"generator.output\" = "
        "\"OFF\" }\n"
        "[[test.judge]]\nrule = \"own/loss\"\n";
    const Said said = stand.run();
    CHECK(said.code == 4);
    const auto run = stand.record();
    REQUIRE(events(run, "unexpected signal").size() == 3);  // the first look and two more
    CHECK(contains(events(run, "unexpected signal")[0]->text,
                   "expected: a signal above -60 dBm, with 0 dBm sent"));
    CHECK(run.points[0].results.empty());
}

TEST_CASE("a mask without a carrier on the channel is looked at again too") {
    Stand stand;
    stand.tests =
        "[[test]]\nname = \"mask\"\nprocedure = \"radio.mask\"\nredo = 2\n"
        "parameters = { centre = \"5 MHz\", span = \"2 MHz\", reference_window = \"50 kHz\", "
        "channel_bandwidth = \"200 kHz\", bandwidth = \"9 kHz\", detector = \"rms\", dwell = \"100 us\", "
        "points = \"401\" }\n"
        "[[test.judge]]\nrule = \"own/power\"\n";
    stand.own_rules = Stand::rule("power", "reference_level", "dBm", "max = \"0 dBm\"");
    const Said said = stand.run();
    CAPTURE(said.err);
    CHECK(said.code == 4);
    const auto run = stand.record();
    REQUIRE(events(run, "unexpected signal").size() == 3);
    CHECK(contains(events(run, "unexpected signal")[0]->text, "expected: a carrier within 50 kHz of 5 MHz"));
    CHECK(run.points[0].results.empty());
}

TEST_CASE("trouble that passes is met with retries, each of them in the tally") {
    Stand stand = everything();
    stand.instrument_keys["analyser"] = "retries = 2\n";
    stand.simulation = "[[simulation.fault]]\nrole = \"analyser\"\nkind = \"drop\"\nafter = 5\ntimes = 2\n";
    CHECK(stand.run().code == 0);
    const auto run = stand.record();
    CHECK(events(run, "retry").size() == 2);
    CHECK(contains(events(run, "retry")[0]->text, "closed the connection"));
    CHECK(contains(events(run, "retry")[0]->text, "attempt 2 of 3"));
    CHECK(points(run, PointKind::point).size() == 7);
}

TEST_CASE("a failed point keeps a picture of the instrument's screen") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n";
    CHECK(stand.run().code == 1);
    const auto run = stand.record();
    CHECK(run.points[0].attachments.empty());
    REQUIRE(run.points[1].attachments.size() == 1);
    const auto& picture = run.points[1].attachments[0];
    const std::string bytes = rt::lab::read_file(stand.folder / "run" / picture.file);
    CHECK(picture.file.ends_with("-screen.bmp"));
    CHECK(bytes.starts_with("BM"));
    CHECK(rt::lab::sha256(bytes) == picture.sha256);
    CHECK(rare_tally(stand.folder.path(), {"report", "run"}).code == 0);
    CHECK(contains(rt::lab::read_file(stand.folder / "run/report/report.html"), "data:image/bmp;base64,"));
}

TEST_CASE("hostile names are harmless in files, tally, terminal and report") {
    Stand stand;
    const std::string evil = "\\u001b[31m<b>x</b>'; DROP TABLE point; --/../../etc\\n\\u0000";
    stand.tests = "[[test]]\nname = \"<i>scan</i>/../..\"\ntitle = \"" + evil + "\"\n" +
                  Stand::scanning("x", "").substr(std::string("[[test]]\nname = \"x\"\n").size());
    stand.campaign_keys = "customer = \"" + evil + "\"\noperator = \"O'Marsh; rm -rf\"\n";
    stand.watches = "[[question]]\nname = \"serial\"\nask = \"serial\"\nkind = \"text\"\nsets = \"serial\"\n";
    stand.folder.write("answers.toml", "serial = \"" + evil.substr(0, evil.size() - 6) + "\"\n");
    // An instrument whose identity is hostile too.
    FakeInstrument fake([](const std::string& line) {
        if (line.find("IDN?") != std::string::npos)
            return std::string("\x1b]0;owned\x07<script>alert(1)</script>','x\n");
        return std::string(line.find("ERR") != std::string::npos ? "0,\"\"\n"
                           : line.find('?') != std::string::npos ? "1\n"
                                                                 : "");
    });
    stand.addresses["unit"] = "tcp://127.0.0.1:" + fake.port();
    const Said said = stand.call({"run", "campaign.toml", "--out", "run", "--answers", "answers.toml"});
    CHECK((said.code == 0 || said.code == 4));
    CHECK(said.out.find('\x1b') == std::string::npos);
    CHECK(said.err.find('\x1b') == std::string::npos);
    const auto run = stand.record();
    REQUIRE(run.points.size() == 1);
    CHECK(contains(run.fact("unit.serial"), "DROP TABLE"));
    const std::string page = rt::lab::read_file(stand.folder / "run/report/report.html") +
                             rt::lab::read_file(stand.folder / "run/live.html") +
                             rt::lab::read_file(stand.folder / "run/connections.svg");
    CHECK_FALSE(contains(page, "<script>alert"));
    CHECK_FALSE(contains(page, "<i>scan"));
    CHECK_FALSE(contains(page, "<b>x"));
    for (const auto& entry : std::filesystem::recursive_directory_iterator(stand.folder.path())) {
        CHECK(entry.path().filename().string().find('<') == std::string::npos);
    }
    CHECK(std::filesystem::exists(stand.folder / "run" / run.points[0].capture.file));
}

TEST_CASE("a disk that takes no more ends the run in one line, and it goes on when there is room") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 400\n");
    stand.write();
    // A limit on the size of files: the tally reaches it in the middle of the run.
    const Said full = run_in(stand.folder.path(), "/bin/sh",
                             {"-c", "trap '' XFSZ; ulimit -f 1500; exec " + binary() +
                                        " run campaign.toml --out run --no-live --no-report -q"});
    CHECK(full.code == 3);
    CHECK(lines(full.err) == 1);
    const auto before = stand.record();
    CHECK(before.points.size() > 10);
    CHECK(before.points.size() < 400);
    for (const auto& point : before.points)
        CHECK(rt::lab::sha256(rt::lab::read_file(stand.folder / "run" / point.capture.file)) ==
              point.capture.sha256);
    CHECK(
        rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report", "-q"}).code ==
        0);
    CHECK(stand.record().points.size() == 400);
}

TEST_CASE("a clock that was set back is noted, and nothing is lost for it") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 2\n");
    CHECK(stand.run().code == 0);
    alter(stand.folder / "run", "UPDATE point SET ended = '2099-01-01T00:00:00.000Z' WHERE position = 2");
    rechain(stand.folder / "run");
    CHECK(
        rare_tally(stand.folder.path(), {"run", "--resume", "run", "--redo", "1", "--no-live", "--no-report"})
            .code == 0);
    REQUIRE(events(stand.record(), "clock").size() == 1);
    CHECK(contains(events(stand.record(), "clock")[0]->text, "the clock was set back by"));
    CHECK(stand.record().points.size() == 2);
}
