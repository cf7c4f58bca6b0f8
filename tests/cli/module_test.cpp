// A pluggable module as the unit: it says who it is, and its own limits are watched while something else is
// measured.
#include <doctest/doctest.h>

#include "lab/tally/tally.hpp"
#include "tests/cli/program.hpp"

namespace {

struct Plugged {
    TestFolder folder;
    std::string unit = "[unit]\nsaid_by = \"module\"\n";
    std::string keys, tests, image = "uplink-a.txt";

    Said run(std::vector<std::string> arguments) const {
        const auto demo = std::filesystem::path(RT_SOURCE) / "demo/module";
        for (const char* file : {"bench.toml", "gateway-control.toml", "uplink-a.txt", "uplink-b.txt"})
            folder.write(file, rt::lab::read_file(demo / file));
        folder.write("simulated-gateway.toml",
                     "[unit]\nname = \"g\"\ntemperature = \"36 degC\"\n[settings]\nuplink = \"A\"\n"
                     "[[module]]\nport = \"uplink\"\nimage = \"" +
                         image + "\"\n");
        folder.write("campaign.toml", "[campaign]\ntitle = \"t\"\nbench = \"bench.toml\"\n" + keys + unit +
                                          "[[test]]\nname = \"monitors\"\nprocedure = \"module.registers\"\n"
                                          "instrument = \"module\"\nrepeats = 2\n"
                                          "[[test.judge]]\nrule = \"module-management/bias-alarm\"\n" +
                                          tests);
        return rare_tally(folder.path(), std::move(arguments));
    }
    Said start() const { return run({"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"}); }
    rt::lab::RunRecord record() const { return rt::lab::Tally::open(folder / "run").read(); }
};

std::size_t count_of(const rt::lab::RunRecord& run, const std::string& kind, const std::string& text) {
    return static_cast<std::size_t>(
        std::count_if(run.events.begin(), run.events.end(),
                      [&](const auto& event) { return event.kind == kind && contains(event.text, text); }));
}

}  // namespace

TEST_CASE("details of the unit that are left out come from its registers, before anything is measured") {
    const Plugged plugged;
    const Said said = plugged.start();
    CHECK_MESSAGE(said.code == 0, (said.err + said.out));
    const auto run = plugged.record();
    // Page 00h of the image, bytes 148 to 211, read by eye.
    CHECK(run.head.detail("maker") == "NORTHHAVEN");
    CHECK(run.head.detail("model") == "NT-Q28-SR4");
    CHECK(run.head.detail("hardware") == "1B");
    CHECK(run.head.detail("serial") == "NQ-0031");
    CHECK(count_of(run, "unit", "the module says: maker NORTHHAVEN, model NT-Q28-SR4") == 1);
    // Its report and the list of runs name it.
    CHECK(contains(plugged.run({"report", "run", "--format", "csv"}).err + plugged.run({"find", "."}).out,
                   "NQ-0031"));
}

TEST_CASE("a meter at the fibre is held against the limits that the module states") {
    TestFolder folder;
    const auto demo = std::filesystem::path(RT_SOURCE) / "demo/module";
    for (const auto& file : std::filesystem::directory_iterator(demo))
        folder.write(file.path().filename().string(), rt::lab::read_file(file.path()));
    const auto run = [&](const std::string& old, const std::string& by) {
        std::string unit = rt::lab::read_file(demo / "simulated-gateway.toml");
        unit.replace(unit.find(old), old.size(), by);
        folder.write("simulated-gateway.toml", unit);
        std::filesystem::remove_all(folder / "run");
        const Said said = rare_tally(folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live",
                                                     "--no-report", "--unattended"});
        INFO(said.err);
        std::vector<rt::lab::PointRecord> out;
        for (const auto& point : rt::lab::Tally::open(folder / "run").read().points)
            if (point.test == "light") out.push_back(point);
        REQUIRE(out.size() == 2);
        REQUIRE(out[0].findings.size() == 1);
        return out[0];
    };
    // 0.3 dB of the patch cord are added again.
    auto point = run("105.59 dBuV", "105.59 dBuV");
    CHECK(point.findings[0].verdict == rt::Verdict::pass);
    CHECK(std::abs(*point.findings[0].value + 1.1) < 0.02);
    CHECK(std::abs(*point.findings[0].limit - 3.4) < 0.01);
    // 111 dBuV are 4 dBm.
    CHECK(run("105.59 dBuV", "111 dBuV").findings[0].verdict == rt::Verdict::fail);
    CHECK(run("105.59 dBuV", "90 dBuV").findings[0].verdict == rt::Verdict::fail);
    // Limits of a module whose registers cannot be read are none.
    const std::string image = rt::lab::read_file(demo / "uplink-a.txt");
    folder.write("uplink-a.txt", image.substr(0, image.find("page 03h")));
    point = run("105.59 dBuV", "105.59 dBuV");
    CHECK(point.findings[0].verdict == rt::Verdict::none);
    // Both ways to say where the sensor is corrected contradict each other.
    std::string campaign = rt::lab::read_file(demo / "campaign.toml");
    campaign.replace(campaign.find("wavelength = "), 13, "frequency = \"350 THz\", wavelength = ");
    folder.write("campaign.toml", campaign);
    const Said said = rare_tally(folder.path(), {"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "state one of both"));
}

TEST_CASE("what is stated must be what the module says: another one ends the run before its first point") {
    Plugged plugged;
    plugged.unit = "[unit]\nmaker = \"northhaven\"\nserial = \"X1\"\nsaid_by = \"module\"\n";
    const Said said = plugged.start();
    CHECK(said.code == 3);
    CHECK(contains(said.err, "another unit: the module says that its serial is "));
    CHECK(contains(said.err, ", not \"X1\""));
    CHECK(plugged.record().points.empty());
}

TEST_CASE("a run is carried on with the same module, from what it keeps") {
    Plugged plugged;
    CHECK(plugged.start().code == 0);
    CHECK(plugged.run({"run", "--resume", "run", "--redo", "monitors", "--no-live", "--no-report"}).code ==
          0);
    CHECK(count_of(plugged.record(), "unit", "serial NQ-0031") == 2);
}

TEST_CASE("who shall say what the unit is must be able to") {
    Plugged plugged;
    plugged.unit = "[unit]\nsaid_by = \"modul\"\n";
    CHECK(contains(plugged.start().err,
                   "said_by in [unit]: no instrument has the role \"modul\": did you mean \"module\"?"));
    plugged.unit = "[unit]\nsaid_by = \"unit\"\n";
    CHECK(contains(plugged.start().err,
                   "the unit cannot be asked: its dialect gateway-uplinks has no command "
                   "query_serial"));
    plugged.unit = "[unit]\nmaker = \"m\"\n";
    const Said without = plugged.start();
    CHECK(without.code == 2);
    CHECK(contains(without.err, "key \"model\" is missing in [unit]"));
}

TEST_CASE("thresholds that a module crosses are events of the run, by its own limits") {
    Plugged plugged;
    plugged.image = "uplink-b.txt";
    plugged.tests =
        "[[watch]]\nname = \"warnings\"\nrole = \"module\"\nquantity = \"warnings\"\nmax = \"0 counts\"\n"
        "[[watch]]\nname = \"faults\"\nrole = \"module\"\nquantity = \"faults\"\nmax = \"0 counts\"\n"
        "[[watch]]\nname = \"module temperature\"\nrole = \"module\"\nquantity = \"temperature\"\nmax = \"70 "
        "degC\"\n"
        "[[watch]]\nname = \"supply\"\nrole = \"module\"\nquantity = \"supply\"\nmin = \"3.1 V\"\nmax = "
        "\"3.5 V\"\n";
    const Said said = plugged.start();
    CHECK_MESSAGE(said.code == 0, (said.err + said.out));
    const auto run = plugged.record();
    CHECK(count_of(run, "watch", "warnings 1") == 1);
    CHECK(count_of(run, "watch", "faults ") == 1);
    CHECK(count_of(run, "watch", "temperature") == 0);
    CHECK(count_of(run, "watch", "supply") == 0);
    std::size_t temperatures = 0;
    for (const auto& sample : run.samples) {
        if (sample.watch != "module temperature") continue;
        ++temperatures;
        CHECK(sample.value == doctest::Approx(36).epsilon(0.01));
    }
    CHECK(temperatures >= 3);
}
