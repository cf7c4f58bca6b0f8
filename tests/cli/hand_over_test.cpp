// What is handed over: letterhead, own templates, joined reports, documents, evidence, the shared store,
// sign-offs.
#include <doctest/doctest.h>

#include "lab/formats/files.hpp"
#include "tests/cli/starter.hpp"
#include "tests/lab/postgres.hpp"

using namespace rt;
using namespace rt::lab;

TEST_CASE("a campaign's letterhead, logo and template come into the report, from the run's own copies") {
    const Starter starter;
    const auto campaign = starter.folder / "mine/campaign.toml";
    write_file(starter.folder / "mine/logo.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"/>");
    write_file(starter.folder / "mine/letter.txt.mustache",
               "{{unit.serial}}: {{test.supply-emission.verdict}}\n");
    const std::string head =
        "[report]\ncompany = \"Lantern & Quay\"\naddress = [\"Berth 3\", \"Northhaven\"]\nlogo = "
        "\"logo.svg\"\n"
        "heading = \"Certificate\"\nsignatures = [\"Measured by: A. Marsh\"]\nfile_name = "
        "\"{serial}-{date}\"\n"
        "templates = [\"letter.txt.mustache\"]\n";
    write_file(campaign, read_file(campaign) + head);
    CHECK(starter.say({"run", "mine/campaign.toml", "--out", "b", "-q"}).code == 0);
    std::filesystem::remove(starter.folder / "mine/logo.svg");
    std::filesystem::remove(starter.folder / "mine/letter.txt.mustache");
    const Said again = starter.say({"report", "b", "--out", "again"});
    REQUIRE(again.code == 0);
    const std::string date = starter.results("b")["run"]["started"].get<std::string>().substr(0, 10);
    const std::string serial = starter.results("b")["run"]["unit.serial"];
    const std::string page = read_file(starter.folder / "again" / (serial + "-" + date + ".html"));
    CHECK(contains(page, "<strong>Lantern &amp; Quay</strong><br>Berth 3<br>Northhaven"));
    CHECK(
        contains(page, "data:image/svg+xml;base64," + base64("<svg xmlns=\"http://www.w3.org/2000/svg\"/>")));
    CHECK(contains(page, "<li>Measured by: A. Marsh</li>"));
    CHECK(read_file(starter.folder / "again" / (serial + "-" + date + "-letter.txt")) == serial + ": PASS\n");
    CHECK(starter.say({"verify", "b"}).code == 0);
    // Slips are one line each, before anything is measured.
    const auto refused = [&](const std::string& keys, const std::string& words) {
        const std::string text = read_file(campaign);
        write_file(campaign, text.substr(0, text.find("[report]")) + "[report]\n" + keys);
        const Said said = starter.say({"check", "mine/campaign.toml"});
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        CHECK_MESSAGE(contains(said.err, words), said.err);
    };
    refused("file_name = \"{seriall}\"\n", "did you mean \"serial\"?");
    refused("logo = \"campaign.toml\"\n", "must be .svg or .png");
    refused("logo = \"none.svg\"\n", "none.svg");
    refused("compny = \"x\"\n", "did you mean \"company\"?");
}

TEST_CASE("several runs in one report, as PDF and as a document to edit") {
    const Starter starter;
    CHECK(starter.say({"run", "mine/campaign.toml", "--out", "b", "-q"}).code == 0);
    CHECK(contains(starter.say({"report", "a", "b"}).err, "need --out DIR"));
    const Said joined = starter.say({"report", "a", "b", "--out", "both", "--document", "--name", "joined"});
    REQUIRE(joined.code == 0);
    CHECK(contains(read_file(starter.folder / "both/joined.html"), "This report joins 2 runs"));
    CHECK(contains(joined.out, "wrote both/joined.odt\n"));
    // A ZIP file whose first entry says what it is (OpenDocument 1.3 part 2, 3.3).
    const std::string document = read_file(starter.folder / "both/joined.odt");
    CHECK(document.starts_with("PK"));
    CHECK(contains(document.substr(0, 100), "mimetypeapplication/vnd.oasis.opendocument.text"));
    CHECK_FALSE(std::filesystem::exists(starter.folder / "both/joined.html.paper.html"));
    CHECK(contains(starter.say({"report", "a", "--name", "{x}"}).err, "there is no {x}"));
    starter.folder.write("own.md", "{{titel}}");
    const Said slip = starter.say({"report", "a", "--template", "own.md"});
    CHECK(slip.code == 2);
    CHECK(contains(slip.err, "own.md:1: there is no value \"titel\": did you mean \"title\"?"));
}

TEST_CASE("evidence: unpacked elsewhere it verifies; an altered run gives none") {
    const Starter starter;
    const Said made = starter.say({"export", "a", "--as", "evidence", "--out", "out"});
    REQUIRE(made.code == 0);
    const std::string seal = made.out.substr(made.out.find("seal ") + 5, 64);
    starter.folder.write("elsewhere/here", "");
    REQUIRE(run_in(starter.folder / "elsewhere", "/usr/bin/cmake", {"-E", "tar", "xf", "../out/evidence.zip"})
                .code == 0);
    CHECK(starter.say({"verify", "elsewhere/a", "--seal", seal}).code == 0);
    CHECK(starter.say({"judge", "elsewhere/a", "--captures"}).code == 0);
    CHECK(contains(read_file(starter.folder / "elsewhere/a/EVIDENCE.txt"),
                   "rare-tally verify a --seal " + seal));
    std::filesystem::path capture;
    for (const auto& entry : std::filesystem::directory_iterator(starter.folder / "a/captures"))
        capture = entry.path();
    write_file(capture, read_file(capture) + "\n");
    std::filesystem::remove(starter.folder / "out/evidence.zip");
    const Said refused = starter.say({"export", "a", "--as", "evidence", "--out", "out"});
    CHECK(refused.code == 2);
    CHECK(contains(refused.err, "is not as it was written"));
    CHECK_FALSE(std::filesystem::exists(starter.folder / "out/evidence.zip"));
}

TEST_CASE("push and find: the store of a lab and the folders say the same") {
    const Starter starter;
    const PostgresServer server;
    const Environment store{{"RARE_TALLY_STORE", server.address()}};
    const auto say = [&](std::vector<std::string> words) {
        return rare_tally(starter.folder.path(), std::move(words), store);
    };
    CHECK(contains(say({"push", "a"}).out, "a: put into the store"));
    CHECK(contains(say({"push", "a"}).out, "a: is in the store as it is"));
    const auto there = nlohmann::json::parse(say({"find", "--rule", "cispr-32", "--json"}).out);
    auto here = nlohmann::json::parse(say({"find", ".", "--rule", "cispr-32", "--json"}).out);
    REQUIRE(there.size() > 0);
    REQUIRE(there.size() == here.size());
    for (std::size_t i = 0; i < here.size(); ++i) {
        here[i]["run"] = there[i]["run"];  // one is as it was named, the other whole
        CHECK(there[i] == here[i]);
    }
    CHECK(contains(say({"find", "--below", "0 dB"}).out, "0 findings"));
    CHECK(say({"find", "--verdict", "good"}).code == 2);
    CHECK(say({"find", "--below", "3 dBB"}).code == 2);
    CHECK(say({"find", "--since", "yesterday"}).code == 2);
    CHECK(say({"find", "--most", "2.5"}).code == 2);
    CHECK(contains(say({"find", "--most", "0"}).err, "--most 0: write a whole number above 0"));
    CHECK(contains(say({"find", "--verdict", "pass"}).out, " findings"));
    const Said nowhere = say({"push", "a", "--store", "postgresql://lab@127.0.0.1:1/x"});
    CHECK(nowhere.code == 3);
    CHECK(lines(nowhere.err) == 1);
    CHECK(rare_tally(starter.folder.path(), {"push", "a"}).code == 2);
}

TEST_CASE(
    "the store: judgements under a name, trends with their figure, where a capture is kept, runs for each") {
    const Starter starter;
    const PostgresServer server;
    const Environment store{{"RARE_TALLY_STORE", server.address()}};
    const auto say = [&](std::vector<std::string> words) {
        return rare_tally(starter.folder.path(), std::move(words), store);
    };
    const Said early = say({"judge", "a", "--as", "edition of 2027"});
    CHECK(early.code == 2);
    CHECK(contains(early.err, "push it first"));
    CHECK(
        contains(rare_tally(starter.folder.path(), {"judge", "a", "--as", "x"}).err, "add --store ADDRESS"));
    REQUIRE(say({"push", "a"}).code == 0);
    CHECK(contains(say({"judge", "a", "--as", "edition of 2027"}).out,
                   "put into the store as edition of 2027"));
    const auto own = nlohmann::json::parse(say({"find", "--json"}).out);
    const auto judged = nlohmann::json::parse(say({"find", "--judgement", "edition of 2027", "--json"}).out);
    REQUIRE(own.size() > 1);
    CHECK(own == judged);
    CHECK(say({"find", "a", "--judgement", "edition of 2027"}).code == 2);
    // Trends: the same from folders and from the store, drawn.
    const Said there = say({"trend", "--by", "rule", "--json"});
    const Said here = say({"trend", "a", "--by", "rule", "--json", "--figure", "trend.svg"});
    CHECK(here.code == 0);
    CHECK(there.out == here.out);
    const auto groups = nlohmann::json::parse(here.out);
    REQUIRE(groups.size() > 0);
    CHECK(groups[0]["runs"] == 1);
    CHECK(groups[0]["median"].get<double>() >= groups[0]["lowest"].get<double>());
    CHECK(contains(read_file(starter.folder / "trend.svg"), "Margins by rule"));
    // As many columns as headings: without blanks inside them there are no two spaces.
    const std::string table = say({"trend", "a", "--rule", "cispr-32", "--by", "test"}).out;
    const auto columns = [&](std::size_t line) {
        const auto rows = rt::split(std::string_view(table), '\n');
        REQUIRE(rows.size() > line);
        std::size_t out = 1;
        for (std::size_t at = 0; (at = rows[line].find("  ", at)) != std::string_view::npos; ++out)
            at = rows[line].find_first_not_of(' ', at);
        return out;
    };
    CHECK(contains(table, "smallest margin"));
    CHECK(columns(0) == 10);
    CHECK(columns(1) == 10);
    CHECK(contains(say({"trend", "a", "--by", "week"}).err, "write day, month"));
    CHECK(say({"trend", "a", "--figure", "trend.gif"}).code == 2);
    CHECK(contains(say({"trend", "a", "--rule", "none-of-these", "--figure", "t.svg"}).err, "no margins"));
    // A capture by its file, and by its hash.
    std::filesystem::path capture;
    for (const auto& entry : std::filesystem::directory_iterator(starter.folder / "a/captures"))
        if (capture.empty() || entry.path() < capture) capture = entry.path();
    REQUIRE_FALSE(capture.empty());
    const std::string hash = sha256(read_file(capture));
    for (const auto& words : {std::vector<std::string>{"find", "--capture", capture.string()},
                              {"find", "--capture", hash},
                              {"find", "a", "--capture", hash}}) {
        const Said said = say(words);
        CHECK(said.code == 0);
        CHECK(contains(said.out, "captures/" + capture.filename().string()));
        CHECK(contains(said.out, "1 place of sha256 " + hash));
    }
    CHECK(contains(say({"find", "--capture", std::string(64, '0')}).out, "0 places"));
    CHECK(say({"find", "--capture", "no-such-file"}).code == 2);
    // What was found is handed to each.
    const Said folders = say({"find", ".", "--folders"});
    CHECK(lines(folders.out) == 1);
    write_file(starter.folder / "runs.txt", folders.out);
    CHECK(contains(say({"each", "verify", "--from", "runs.txt", "--out", "seen"}).out, "1 run: 1 passed"));
    write_file(starter.folder / "none.txt", "\n");
    CHECK(contains(say({"each", "verify", "--from", "none.txt"}).err, "lists no folder"));
}

TEST_CASE("rules sign: in the report, until the rule says something else") {
    const Starter starter;
    const Said said = starter.say({"rules", "sign", "cispr-32", "--by", "A. Marsh", "--document", "copy 7",
                                   "--into", "mine/signed.toml"});
    REQUIRE(said.code == 0);
    const auto campaign = starter.folder / "mine/campaign.toml";
    std::string text = read_file(campaign);
    text.replace(text.find("[campaign]\n"), 11, "[campaign]\nrulebooks = [\"signed.toml\"]\n");
    write_file(campaign, text);
    CHECK(starter.say({"run", "mine/campaign.toml", "--out", "b", "-q"}).code == 0);
    std::filesystem::remove(starter.folder / "mine/signed.toml");
    REQUIRE(starter.say({"report", "b"}).code == 0);
    const std::string page = read_file(starter.folder / "b/report/report.html");
    CHECK(contains(page, "Signed off: A. Marsh, "));
    CHECK_FALSE(contains(page, "Limits were entered from general knowledge"));
    CHECK(contains(read_file(starter.folder / "a/report/report.html"),
                   "Limits were entered from general knowledge"));
    CHECK(starter.say({"rules", "sign", "cispr-32"}).code == 2);
    CHECK(starter
              .say({"rules", "sign", "cispr-32/mains-b-qp", "--by", "A", "--document", "d", "--on",
                    "2026-13-01"})
              .code == 2);
    CHECK(starter.say({"rules", "lint", "usb-2.0"}).code == 1);
    CHECK(contains(starter.say({"rules", "lint", "i2c"}).out, "rules looked at, 0 to look at again"));
}
