// Instruments that restart, lose their connection, answer late or report odd things in the middle of a run:
// live instruments of this file's own, which know nothing of the program's simulated ones.
#include <doctest/doctest.h>

#include <atomic>
#include <cstring>
#include <map>

#include "tests/cli/stand.hpp"
#include "tests/lab/fake_instrument.hpp"

using rt::Verdict;
using rt::lab::PointKind;

namespace {

bool has(const std::string& line, const char* part) {
    return line.find(part) != std::string::npos;
}

// A supply, the unit that it feeds, and an analyser that sees the unit: 61 dBuV when it transmits.
struct Bench3 {
    std::mutex guard;
    bool output = false, transmitting = false;
    int current_ma = 40, esr = 0, sweeps = 0, supply_esr = 0;
    std::string unit_of_levels = "DBUV";
    std::map<std::string, std::string> set;
    std::function<void(Bench3&)> after_sweep;            // what happens while nobody looks
    std::function<std::string(Bench3&)> current_answer;  // instead of the current
    FakeInstrument supply{[this](const std::string& line) { return supply_says(line); }};
    FakeInstrument unit{[this](const std::string& line) { return unit_says(line); }};
    FakeInstrument analyser{[this](const std::string& line) { return analyser_says(line); }};

    void restart_supply() {
        output = true, transmitting = false, supply_esr = 128;  // the unit boots into its resting state
    }
    std::string common(const std::string& line) {
        if (has(line, "*IDN")) return "made,up,1,1\n";
        if (has(line, "ERRor")) return "0,\"No error\"\n";
        if (has(line, "*OPC?")) return "1\n";
        return "";
    }
    std::string supply_says(const std::string& line) {
        const std::lock_guard lock(guard);
        if (has(line, "*ESR?")) return std::to_string(std::exchange(supply_esr, 0)) + "\n";
        if (has(line, "*CLS")) supply_esr = 0;
        if (has(line, "OUTPut?")) return output ? "1\n" : "0\n";
        if (has(line, "VOLTage?")) return "5.000\n";
        if (has(line, "OUTPut")) output = has(line, "ON");
        if (has(line, "CURRent?"))
            return current_answer ? current_answer(*this) : std::to_string(current_ma / 1000.0) + "\n";
        return common(line);
    }
    std::string unit_says(const std::string& line) {
        const std::lock_guard lock(guard);
        if (has(line, "STATe")) transmitting = has(line, "loud");
        return common(line);
    }
    std::string analyser_says(const std::string& line) {
        const std::lock_guard lock(guard);
        const std::map<std::string, std::string> answers{{"STARt", "STARt?"},
                                                         {"STOP", "STOP?"},
                                                         {"POINts", "POINts?"},
                                                         {"RESolution", "RESolution?"},
                                                         {"DWELl", "DWELl?"}};
        for (const auto& [name, question] : answers) {
            if (has(line, question.c_str())) return set[name] + "\n";
            if (has(line, (name + " ").c_str())) set[name] = line.substr(line.rfind(' ') + 1);
        }
        if (has(line, "*ESR?")) return std::to_string(std::exchange(esr, 0)) + "\n";
        if (has(line, "FORMat:DATA?")) return "REAL,64\n";
        if (has(line, "BORDer?")) return "SWAP\n";
        if (has(line, "UNIT:POWer?")) return unit_of_levels + "\n";
        if (has(line, "FUNCtion?")) return "POS\n";
        if (has(line, "AUTO?")) return "1\n";
        if (has(line, "QUES")) return "0\n";
        if (has(line, "HCOPy")) return "#10\n";  // no picture
        if (has(line, "INITiate:IMM")) {
            ++sweeps;
            if (after_sweep) after_sweep(*this);
            return "1\n";
        }
        if (has(line, "TRACe:DATA?")) {
            std::vector<double> levels(101);
            for (std::size_t i = 0; i < levels.size(); ++i) levels[i] = 5 + static_cast<double>(i % 5);
            if (transmitting && output) levels[50] = 61;
            std::string bytes(levels.size() * 8, '\0');
            std::memcpy(bytes.data(), levels.data(), bytes.size());
            return "#3" + std::to_string(bytes.size()) + bytes + "\n";
        }
        return common(line);
    }
    Stand stand(const std::string& repeats = "repeats = 3\n") const {
        Stand out;
        out.addresses = {{"supply", "tcp://127.0.0.1:" + supply.port()},
                         {"unit", "tcp://127.0.0.1:" + unit.port()},
                         {"analyser", "tcp://127.0.0.1:" + analyser.port()}};
        out.tests = Stand::scanning("scan", repeats + "settings = { \"unit.state\" = \"loud\" }\n") +
                    "[[test.judge]]\nrule = \"own/loud\"\n";
        return out;
    }
};

const std::string watch =
    "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"150 mA\"\naction = "
    "\"void\"\nevery = \"10 s\"\n";

}  // namespace

TEST_CASE("a supply that restarts in a run takes the unit's settings with it: they are made again") {
    Bench3 live;
    live.after_sweep = [](Bench3& b) {
        if (b.sweeps == 1) b.restart_supply();
    };
    const Stand stand = live.stand();
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 1, said.err);  // 61 dBuV of 60 at every point
    const auto run = stand.record();
    for (const auto* point : points(run, PointKind::point))
        CHECK(point->findings[0].verdict == Verdict::fail);
    CHECK(events(run, "restart").size() == 1);
    CHECK(contains(events(run, "restart")[0]->text, "the supply was switched on anew"));
    CHECK(live.sweeps == 4);  // the point that it happened in was measured once more
}

TEST_CASE("an analyser that restarts is prepared and set again") {
    Bench3 live;
    live.after_sweep = [](Bench3& b) {
        if (b.sweeps == 2) b.esr = 128;
    };
    Stand stand = live.stand();
    CHECK(stand.run({"--traffic"}).code == 1);
    const auto run = stand.record();
    CHECK(events(run, "restart").size() == 1);
    const std::string traffic = rt::lab::read_file(stand.folder / "run/traffic.log");
    std::size_t resets = 0;
    for (std::size_t at = 0; (at = traffic.find("analyser > *RST", at)) != std::string::npos; ++at) ++resets;
    CHECK(resets == 2);
}

TEST_CASE("a watch whose connection is reset in the look after the capture: the point is taken anew") {
    Bench3 live;
    std::atomic<int> looks = 0;
    // 200 mA from the second point on; the connection drops in the look after its capture.
    live.current_answer = [&](Bench3& b) -> std::string {
        ++looks;
        if (b.sweeps == 2 && looks == 4) return "\xFF";
        return b.sweeps >= 2 ? "0.2\n" : "0.04\n";
    };
    Stand stand = live.stand("repeats = 2\n");
    stand.watches = watch;
    stand.instrument_keys["supply"] = "retries = 1\n";
    CHECK(stand.run().code == 1);
    const auto run = stand.record();
    REQUIRE(run.points.size() == 2);
    CHECK(run.points[0].findings[0].verdict == Verdict::fail);
    CHECK(run.points[1].findings[0].verdict == Verdict::none);
    CHECK(contains(run.points[1].findings[0].reason, "current 200 mA, in order is at most 150 mA"));
    REQUIRE(events(run, "retry").size() == 1);
    CHECK(live.sweeps == 3);  // it was measured once more
    // Without a retry left the capture stays and has no verdict.
    Bench3 other;
    looks = 0;
    other.current_answer = [&](Bench3& b) -> std::string {
        return b.sweeps == 1 && ++looks == 1 ? "\xFF" : "0.04\n";
    };
    Stand once = other.stand("repeats = 1\n");
    once.watches = watch;
    CHECK(once.run().code == 4);
    CHECK(contains(once.record().points[0].invalid, "a watch could not be read after the capture"));
}

TEST_CASE("not a number and infinity are no reading of a watch") {
    for (const char* answer : {"9.91E37\n", "9.9E37\n", "-9.9E37\n"}) {
        Bench3 live;
        live.current_answer = [&](Bench3&) { return std::string(answer); };
        Stand stand = live.stand("repeats = 1\n");
        stand.watches =
            "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmin = \"10 mA\"\n";
        const Said said = stand.run();
        CHECK(said.code == 3);
        CHECK(contains(said.err, "a number was expected"));
    }
}

TEST_CASE("an analyser whose levels are in another unit than asked for gives no verdict") {
    Bench3 live;
    live.unit_of_levels = "DBM";
    const Stand stand = live.stand("repeats = 1\n");
    CHECK(stand.run().code == 4);
    CHECK(contains(stand.record().points[0].invalid, "analyser has levels in \"DBM\", DBUV was asked for"));
}

TEST_CASE("exit 3 still tells the points that were kept, as JSON") {
    Bench3 live;
    live.after_sweep = [](Bench3&) {};
    Stand stand = live.stand("repeats = 3\n");
    stand.timeout = "300 ms";
    std::atomic<int> looks = 0;
    live.current_answer = [&](Bench3&) { return ++looks > 4 ? std::string() : std::string("0.04\n"); };
    stand.watches = watch;
    const Said said = stand.run({"--json"});
    CHECK(said.code == 3);
    CHECK(contains(said.out, "\"verdict\": \"FAIL\""));
}

TEST_CASE("dialects without their placeholder, and values that cannot be sent, are found before the run") {
    const auto refused = [](const std::string& from, const std::string& to) {
        Stand stand;
        std::string text =
            rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "dialects/scpi-analyser.toml");
        text.replace(text.find(from), from.size(), to);
        stand.folder.write("own.dialect.toml", text);
        stand.tests = Stand::scanning("scan", "");
        stand.write();
        std::string bench = rt::lab::read_file(stand.folder / "bench.toml");
        bench.replace(bench.find("dialect = \"scpi-analyser\""), 25, "dialect = \"own.dialect.toml\"");
        stand.folder.write("bench.toml", bench);
        return rare_tally(stand.folder.path(), {"check", "campaign.toml"}).err;
    };
    CHECK(contains(refused("UNIT:POWer {unit}", "UNIT:POWer DBM"),
                   "the command set_unit lacks its value: write {unit}"));
    CHECK(contains(refused("STARt {hz}", "STARt {herz}"), "the command set_start has no value {herz}"));
    Stand stand;
    stand.tests = Stand::scanning("scan", "settings = { \"unit.mode\" = \"a;b\" }\n");
    const Said said = stand.call({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "holds control characters or a semicolon"));
    // Words that are no character data go as strings, quotes doubled.
    stand.tests = Stand::scanning("scan", "settings = { \"unit.mode\" = 'two \"words\"' }\n");
    CHECK(stand.run({"--traffic"}).code == 0);
    CHECK(contains(rt::lab::read_file(stand.folder / "run/traffic.log"),
                   "unit > UNIT:MODE \"two \"\"words\"\"\""));
}

TEST_CASE("a unit's program that closes its output and runs on is not waited for") {
    Stand stand;
    const auto program = stand.folder.write("set.sh", "#!/bin/sh\nexec >&- 2>&-\nsleep 60\n");
    std::filesystem::permissions(program, std::filesystem::perms(0755));
    stand.addresses["unit"] = "program:set.sh";
    stand.timeout = "400 ms";
    stand.tests = Stand::scanning("scan", "settings = { \"unit.state\" = \"loud\" }\n");
    const auto start = std::chrono::steady_clock::now();
    const Said said = stand.run();
    CHECK(said.code == 3);
    CHECK(contains(said.err, "did not end within 0.4 s"));
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds(30));
}
