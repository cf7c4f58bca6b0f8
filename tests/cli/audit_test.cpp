// What happens to a run afterwards: verified, judged again, compared, exported.
#include <algorithm>
#include <sstream>

#include "tests/cli/starter.hpp"

using namespace rt;
using namespace rt::lab;

TEST_CASE("verify: an untouched run, a seal, an altered capture") {
    const Starter starter;
    const Said whole = starter.say({"verify", "a"});
    CHECK(whole.code == 0);
    CHECK(contains(whole.out, "all as they were written\nseal "));
    const std::string seal = whole.out.substr(whole.out.find("seal ") + 5, 64);
    CHECK(starter.say({"verify", "a", "--seal", seal}).code == 0);
    CHECK(starter.say({"verify", "a", "--seal", std::string(64, '0')}).code == 1);
    std::filesystem::path file;
    for (const auto& entry : std::filesystem::directory_iterator(starter.folder / "a/captures"))
        if (entry.path().extension() == ".csv") file = entry.path();
    REQUIRE_FALSE(file.empty());
    write_file(file, read_file(file) + "# a remark\n");
    const Said altered = starter.say({"verify", "a"});
    CHECK(altered.code == 1);
    CHECK(contains(altered.out, "ALTERED  captures/" + file.filename().string() + " was altered"));
    CHECK(starter.say({"verify", "elsewhere"}).code == 2);
    CHECK(starter.say({"verify"}).code == 2);
}

TEST_CASE("judge: the same limits say the same, a stricter book of the lab fails, uncertainty guards") {
    const Starter starter;
    const Said same = starter.say({"judge", "a", "--captures"});
    CHECK(same.code == 0);
    CHECK(contains(same.out, " judged again, 0 differ\n"));
    // The lab's own book: one line lower, everything else from below.
    starter.folder.write(
        "ours.toml",
        "[rulebook]\nid = \"ours\"\ntitle = \"Ours\"\nstandard = \"S\"\nedition = \"1\"\nbasis = "
        "\"agreed\"\nlayered_on = \"cispr-32\"\n[[rule]]\nid = \"mains-b-av\"\npieces = [{ from = "
        "\"150 kHz\", to = \"30 MHz\", limit = \"40 dBuV\" }]\n");
    const Said ours = starter.say(
        {"judge", "a", "--rulebook", "ours.toml", "--instead", "cispr-32=ours", "--out", "d.json"});
    CHECK(ours.code == 1);
    const auto document = nlohmann::json::parse(read_file(starter.folder / "d.json"));
    CHECK(document["counts"]["FAIL"] == 2);
    REQUIRE(document["differences"].size() == 2);
    CHECK(document["differences"][0]["after"]["rule"] == "ours/mains-b-av");
    CHECK(document["differences"][0]["before"]["verdict"] == "PASS");
    CHECK(document["differences"][0]["after"]["limit"] == 40);
    // The starter's bench declares nothing: a guard band has no verdict.
    const Said guarded = starter.say({"judge", "a", "--decision", "guarded"});
    CHECK(guarded.code == 4);
    CHECK(contains(guarded.out, "needs an uncertainty"));
    CHECK(starter.say({"judge", "a", "--instead", "x"}).code == 2);
    CHECK(starter.say({"judge", "a", "--instead", "cispr-32=nowhere"}).code == 2);
    CHECK(starter.say({"judge", "a", "--decision", "strict"}).code == 2);
    // Nothing in the run has changed.
    CHECK(starter.say({"verify", "a"}).code == 0);
}

TEST_CASE("compare: the same run repeats itself, another bench shows where it differs") {
    const Starter starter;
    REQUIRE(starter.say({"run", "mine/campaign.toml", "--out", "b", "-q"}).code == 0);
    const Said same = starter.say({"compare", "a", "b", "--figures", "over"});
    CHECK(same.code == 0);
    CHECK(contains(same.out, "verdicts differ in 0"));
    CHECK(std::filesystem::exists(starter.folder / "over"));
    const auto document = nlohmann::json::parse(starter.say({"compare", "a", "b", "--json"}).out);
    for (const auto& f : document["findings"]) {
        CHECK(f["runs"].size() == 2);
        CHECK(f["margin_change"] == 0);
        CHECK(f["range"] == 0);
    }
    CHECK(starter.say({"compare", "a"}).code == 2);
    CHECK(starter.say({"compare", "a", "nowhere"}).code == 2);
}

TEST_CASE("export: every form is written, and only those asked for") {
    const Starter starter;
    const Said all = starter.say({"export", "a"});
    CHECK(all.code == 0);
    for (const char* file : {"results.csv", "results.json", "junit.xml", "results.xlsx"})
        CHECK(std::filesystem::file_size(starter.folder / (std::string("a/export/") + file)) > 100);
    CHECK(starter.say({"export", "a", "--as", "junit", "--out", "x"}).code == 0);
    CHECK_FALSE(std::filesystem::exists(starter.folder / "x/results.csv"));
    CHECK(contains(starter.say({"export", "a", "--as", "workbok"}).err, "did you mean \"workbook\"?"));
    // The report as PDF.
    const Said pdf = starter.say({"report", "a", "--pdf", "--out", "p"});
    CHECK(pdf.code == 0);
    CHECK(read_file(starter.folder / "p/report.pdf").starts_with("%PDF-"));
}

TEST_CASE("a growing table: a row a run, headings checked, safe when several append at once") {
    const Starter starter;
    const std::string table =
        "\n[table]\nfile = \"all.csv\"\n[[table.column]]\nlabel = \"Serial\"\nfact = \"unit.serial\"\n"
        "[[table.column]]\nlabel = \"Verdict\"\nfact = \"verdict\"\n"
        "[[table.column]]\nlabel = \"Level\"\ntest = \"supply-emission\"\nresult = "
        "\"highest_level\"\neach_point = true\n"
        "[[table.column]]\nlabel = \"At\"\ntest = \"supply-emission\"\nresult = "
        "\"highest_level_frequency\"\nunit = \"kHz\"\n";
    const auto campaign = starter.folder / "mine/campaign.toml";
    const std::string text = read_file(campaign);
    write_file(campaign, text + table);
    const Said first = starter.say({"run", "mine/campaign.toml", "--out", "r0"});
    CHECK(first.code == 0);
    CHECK(contains(first.out, "appended a row to " + (starter.folder / "mine/all.csv").string()));
    // Four at the same time.
    std::vector<pid_t> others;
    for (int k = 1; k <= 4; ++k) {
        others.push_back(
            start_in(starter.folder.path(), binary(), {"export", "r0", "--append", "mine/all.csv"}));
    }
    for (const pid_t other : others) CHECK(wait_for(other) == 0);
    const std::string all = read_file(starter.folder / "mine/all.csv");
    CHECK(std::count(all.begin(), all.end(), '\n') == 6);
    std::vector<std::string> lines;
    std::istringstream in(all);
    for (std::string line; std::getline(in, line);) lines.push_back(line);
    REQUIRE(lines.size() == 6);
    CHECK(lines[0].starts_with("Serial,Verdict,\"Level state=idle, detector=peak\""));
    for (std::size_t k = 2; k < 6; ++k) CHECK(lines[k] == lines[1]);
    CHECK(contains(lines[1], ",PASS,"));
    CHECK(lines[0].ends_with(",At [kHz]"));
    // Between 150 kHz and 30 MHz.
    const double at = std::stod(lines[1].substr(lines[1].rfind(',') + 1));
    CHECK(at >= 150);
    CHECK(at <= 30000);
    // Other columns do not go under these headings.
    write_file(campaign, text + table + "[[table.column]]\nlabel = \"More\"\nfact = \"operator\"\n");
    const Said other = starter.say({"run", "mine/campaign.toml", "--out", "r1", "-q"});
    CHECK(other.code == 2);
    CHECK(contains(other.err, "has other headings than this run"));
    CHECK(read_file(starter.folder / "mine/all.csv") == all);
    CHECK(std::filesystem::exists(starter.folder / "r1/tally.sqlite"));
    write_file(campaign, text +
                             "\n[table]\nfile = \"x.csv\"\n[[table.column]]\nlabel = \"l\"\ntest = "
                             "\"none\"\nresult = \"r\"\n");
    CHECK(starter.say({"check", "mine/campaign.toml"}).code == 2);
}

TEST_CASE("details filled in afterwards stand in the report and, with what they were, in the events") {
    const Starter starter;
    CHECK(starter.say({"report", "a", "--set", "unit.owner=B. Quill", "--set", "operator=C. Day"}).code == 0);
    const std::string page = read_file(starter.folder / "a/report/report.html");
    CHECK(contains(page, "B. Quill"));
    CHECK(contains(page, "unit.owner is &quot;B. Quill&quot; (was not stated)"));
    const auto events = starter.results("a")["events"];
    REQUIRE(events.size() >= 2);
    CHECK(events[events.size() - 1]["kind"] == "amended");
    CHECK(contains(events[events.size() - 1]["text"].get<std::string>(), "operator is \"C. Day\" (was"));
    CHECK(starter.say({"verify", "a"}).code == 0);
    CHECK(starter.say({"report", "a", "--set", "state=complete"}).code == 2);
    CHECK(starter.say({"report", "a", "--set", "unit.owner"}).code == 2);
}

TEST_CASE("rules diff: what a lab's own book says otherwise") {
    const TestFolder folder;
    folder.write(
        "ours.toml",
        "[rulebook]\nid = \"ours\"\ntitle = \"Ours\"\nstandard = \"S\"\nedition = \"1\"\nbasis = \"agreed\"\n"
        "layered_on = \"i2c\"\n[[rule]]\nid = \"fast-low\"\nmin = \"1.4 us\"\n[[rule]]\nid = \"own\"\ntitle "
        "= "
        "\"Bytes\"\nclause = \"-\"\nquantity = \"bytes\"\napplies_to = \"bytes\"\nunit = \"counts\"\nkind = "
        "\"bound\"\nmin = \"1 counts\"\nconfidence = \"sure\"\n");
    const Said said = rare_tally(folder.path(), {"rules", "diff", "i2c", "ours", "--rulebook", "ours.toml"});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "fast-low  limit\n  - at least  1.3 \u00b5s\n  + at least  1.4 \u00b5s\n"));
    CHECK(contains(said.out, "own  only in ours\n  + Bytes\n"));
    CHECK(contains(said.out, "2 rules differ, 52 are the same"));
    CHECK(rare_tally(folder.path(), {"rules", "diff", "i2c"}).code == 2);
    // Another edition in a file, with the id of the shipped one.
    std::string older = read_file(std::filesystem::path(RT_SOURCE) / "rulebooks/i2c.toml");
    older.replace(older.find("min = \"1.3 us\""), 14, "min = \"1.2 us\"");
    folder.write("older.toml", older);
    const Said editions = rare_tally(folder.path(), {"rules", "diff", "older.toml", "i2c"});
    CHECK(editions.code == 0);
    CHECK(contains(editions.out, "  - at least  1.2 \u00b5s\n  + at least  1.3 \u00b5s\n1 rules differ"));
    CHECK(contains(rare_tally(folder.path(), {"rules", "diff", "i2c", "i3c"}).err, "did you mean \"i2c\"?"));
}
