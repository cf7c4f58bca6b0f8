// From an instrument that nobody has adapted to a verdict, with text alone; and proofs of dialects.
#include <doctest/doctest.h>

#include <csignal>
#include <nlohmann/json.hpp>

#include "lab/clock.hpp"
#include "tests/cli/stand.hpp"
#include "tests/cli/starter.hpp"
#include "tests/lab/fake_instrument.hpp"

namespace {

const std::filesystem::path harbour = std::filesystem::path(RT_SOURCE) / "demo/harbour";

// The harbour bench served by the program itself; ends with the object.
class Served {
  public:
    explicit Served(const TestFolder& folder) {
        std::string bench = rt::lab::read_file(harbour / "bench.toml");
        const std::string own = "harbour-analyser.toml";
        bench.replace(bench.find(own, bench.find("dialect =")), own.size(), "scpi-analyser");
        folder.write("served.toml", bench);
        folder.write("unit.toml", rt::lab::read_file(harbour / "unit.toml"));
        const auto log = (folder / "served.log").string();
        const std::string command = in_build("rare-tally") + " bench " + (folder / "served.toml").string() +
                                    " --serve > " + log + " 2>&1 & echo $! > " + (folder / "pid").string();
        REQUIRE(std::system(command.c_str()) == 0);
        const rt::lab::Stopwatch watch;
        while (watch.seconds() < 20) {
            const std::string said = std::filesystem::exists(log) ? rt::lab::read_file(log) : "";
            const auto at = said.find("analyser  tcp://");
            if (at != std::string::npos && said.find("serving") != std::string::npos) {
                address_ = said.substr(at + 10, said.find('\n', at) - at - 10);
                break;
            }
            rt::lab::clock().sleep(0.02);
        }
        pid_ = std::stoi(rt::lab::read_file(folder / "pid"));
    }
    ~Served() {
        if (pid_ > 0) ::kill(pid_, SIGTERM);
    }
    const std::string& address() const { return address_; }

  private:
    std::string address_;
    int pid_ = 0;
};

}  // namespace

TEST_CASE("an analyser with a command set of its own: asked, decided, proven, and a verdict") {
    TestFolder folder;
    const Served served(folder);
    REQUIRE(served.address().starts_with("tcp://"));
    const Said begun = rare_tally(
        folder.path(), {"dialects", "new", served.address(), "--kind", "analyser", "--out", "mine.toml"});
    CAPTURE(begun.out);
    CHECK(begun.code == 4);  // something is left to a person
    CHECK(contains(begun.out, "FILTer:WIDTh {hz}"));
    CHECK(contains(begun.out, "SWEep:RUN;*OPC?"));
    CHECK(contains(begun.out, "1001 whole numbers of 16 bits"));
    CHECK(contains(begun.out, "to decide  [[data]] scale: which field of TRACe:SCALe? is which"));
    std::string text = rt::lab::read_file(folder / "mine.toml");
    CHECK(contains(text, "order = \"big\""));
    // It asks before it writes over anything.
    CHECK(contains(rare_tally(folder.path(), {"dialects", "new", served.address(), "--kind", "analyser",
                                              "--out", "mine.toml"})
                       .err,
                   "is there already"));
    // The bench as a user writes it, at the address.
    const std::string bench =
        "[bench]\nname = \"b\"\n[[instrument]]\nrole = \"analyser\"\nname = \"x\"\naddress = \"" +
        served.address() +
        "\"\ndialect = \"mine.toml\"\nimpedance = \"50 ohm\"\n"
        "[[instrument]]\nrole = \"unit\"\nname = \"u\"\naddress = \"by hand\"\n";
    folder.write("bench.toml", bench);
    const Said open = rare_tally(folder.path(), {"bench", "bench.toml", "--try"});
    CHECK(open.code == 2);
    CHECK(contains(open.err, "still to be decided"));
    CHECK(lines(open.err) == 1);
    text.erase(text.find("undecided = 1\n"), 14);
    text += "\n";
    text.insert(text.find("query_format"), "record_iq = \"\"\nread_iq = \"\"\n");
    folder.write("mine.toml", text);
    const Said proven = rare_tally(
        folder.path(), {"bench", "bench.toml", "--try", "--role", "analyser", "--papers", "tried.html"});
    CHECK_MESSAGE(proven.code == 0, proven.out);
    CHECK(contains(proven.out, " 0 odd, 0 refused, "));
    const std::string page = rt::lab::read_file(folder / "tried.html");
    CHECK(contains(page, "Nothing odd or refused"));
    CHECK(contains(page, "FILTer:WIDTh 9000"));
    const auto json = nlohmann::json::parse(rt::lab::read_file(folder / "tried.json"));
    CHECK(std::count_if(json.begin(), json.end(), [](const auto& step) { return step["end"] == "proven"; }) >
          15);
    folder.write("campaign.toml", rt::lab::read_file(harbour / "campaign.toml"));
    folder.write("answers.toml", "unit = \"go\"\n");
    const Said run = rare_tally(folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live",
                                                "--no-report", "--answers", "answers.toml"});
    CHECK_MESSAGE(run.code == 0, run.err);
    const auto record = rt::lab::Tally::open(folder / "run").read();
    REQUIRE(record.points.size() == 2);
    // 40 dBuV against 46 dBuV (average, 0.5 to 5 MHz); 16 bits over the span of the trace are 0.003 dB.
    CHECK(std::abs(*record.points[0].findings[0].margin - 6) < 0.3);
}

TEST_CASE("the demo's finished dialect says what the begun one does") {
    TestFolder folder;
    for (const char* file : {"bench.toml", "unit.toml", "campaign.toml", "harbour-analyser.toml"})
        folder.write(file, rt::lab::read_file(harbour / file));
    CHECK(rare_tally(folder.path(), {"bench", "bench.toml", "--try"}).code == 0);
    CHECK(rare_tally(folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"})
              .code == 1);
    const auto record = rt::lab::Tally::open(folder / "run").read();
    CHECK(record.counts().pass == 1);
    CHECK(record.counts().fail == 1);
}

TEST_CASE("without leave nothing is switched on, moved or raised; with it, it is") {
    Stand stand;
    stand.timeout = "3 s";  // what one of them does not know, it leaves unanswered
    stand.write();
    const auto ends = [&](std::vector<std::string> more) {
        std::vector<std::string> call{"bench", "bench.toml", "--try", "--json"};
        call.insert(call.end(), more.begin(), more.end());
        std::map<std::string, std::string> out;
        for (const auto& step : nlohmann::json::parse(rare_tally(stand.folder.path(), call).out))
            out[step["role"].get<std::string>() + " " + step["command"].get<std::string>()] =
                step["end"].get<std::string>() + " " + step["sent"].get<std::string>();
        return out;
    };
    auto careful = ends({});
    CHECK(careful.at("supply set_output").starts_with("left out"));
    CHECK(careful.at("table set_angle").starts_with("left out"));
    CHECK(careful.at("power-meter zero").starts_with("left out"));
    CHECK(contains(careful.at("generator set_output"), "OUTPut OFF"));
    CHECK(contains(careful.at("generator set_level"), "POWer -30"));
    auto bold = ends({"--allow", "outputs", "--allow", "movement", "--most-level", "-45 dBm"});
    CHECK(bold.at("supply set_output").starts_with("proven"));
    CHECK(bold.at("table set_angle").starts_with("proven"));
    CHECK(contains(bold.at("generator set_output"), "OUTPut ON"));
    CHECK(contains(bold.at("generator set_level"), "POWer -45"));
    CHECK(contains(rare_tally(stand.folder.path(), {"bench", "bench.toml", "--try", "--allow", "all"}).err,
                   "write outputs, movement or zero"));
}

TEST_CASE("a proof finds what is odd: another value, a short trace, an error queue that hears nothing") {
    Stand stand;
    stand.simulation = "[[simulation.fault]]\nrole = \"generator\"\nkind = \"another-value\"\nafter = 3\n";
    stand.write();
    const Said odd = rare_tally(stand.folder.path(), {"bench", "bench.toml", "--try", "--role", "generator"});
    CHECK(odd.code == 3);
    CHECK(contains(odd.out, "was asked for"));
    // An instrument that answers everything alike, and never complains.
    FakeInstrument fake([](const std::string& line) {
        return line.find("IDN?") != std::string::npos  ? std::string("mute\n")
               : line.find("ERR") != std::string::npos ? std::string("0,\"\"\n")
               : line.find('?') != std::string::npos   ? std::string("1\n")
                                                       : std::string();
    });
    Stand mute;
    mute.timeout = "300 ms";
    mute.addresses["analyser"] = "tcp://127.0.0.1:" + fake.port();
    mute.write();
    const Said said = rare_tally(mute.folder.path(), {"bench", "bench.toml", "--try", "--role", "analyser"});
    CHECK(said.code == 3);
    CHECK(contains(said.out, "what it refuses will not be noticed"));
    CHECK(contains(said.out, "it was told"));
    CHECK(contains(said.out, "a data block was expected for read_trace"));
}

TEST_CASE("dialects: the shipped ones, and bad calls") {
    TestFolder folder;
    const Said list = rare_tally(folder.path(), {"dialects"});
    CHECK(list.code == 0);
    CHECK(contains(list.out, "scpi-waveform-generator"));
    const auto err = [&](std::vector<std::string> more) {
        more.insert(more.begin(), "dialects");
        const Said said = rare_tally(folder.path(), more);
        CHECK(said.code != 0);
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(contains(err({"new", "tcp://127.0.0.1:1", "--out", "a.toml"}), "needs --kind KIND"));
    CHECK(contains(err({"new", "tcp://127.0.0.1:1", "--kind", "analyzer", "--out", "a.toml"}),
                   "did you mean \"analyser\""));
    CHECK(contains(err({"new", "tcp://127.0.0.1:1", "--kind", "analyser"}), "needs --out FILE.toml"));
    CHECK(
        contains(err({"new", "tcp://127.0.0.1:1", "--kind", "analyser", "--out", "a.toml"}), "127.0.0.1:1"));
    CHECK(contains(err({"old"}), "dialects new ADDRESS"));
    CHECK_FALSE(std::filesystem::exists(folder / "a.toml"));
}
