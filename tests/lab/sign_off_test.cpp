#include <doctest/doctest.h>

#include <algorithm>

#include "core/rules/rule_text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/formats/sign_off_file.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

std::string book(const std::string& min, const std::string& more = "") {
    return "[rulebook]\nid = \"made\"\ntitle = \"t\"\nstandard = \"Made\"\nedition = \"1\"\nbasis = \"b\"\n"
           "[[rule]]\nid = \"loss\"\ntitle = \"Loss\"\nclause = \"4.1\"\nquantity = \"loss\"\n"
           "applies_to = \"loss\"\nkind = \"bound\"\nunit = \"dB\"\nmin = \"" +
           min + "\"\nconfidence = \"unsure\"\n" + more;
}

}  // namespace

TEST_CASE("a sign-off holds for the text that was signed, and lapses with any change of it") {
    TestFolder folder;
    folder.write("made.toml", book("3 dB"));
    {
        RuleLibrary library;
        library.add(folder / "made.toml");
        append_sign_off(folder / "signed.toml", library.find("made/loss"),
                        {"A. \"M\" Marsh", "2026-05-31", "copy 7"});
    }
    RuleLibrary signed_off;
    signed_off.add_all({folder / "signed.toml", folder / "made.toml"});  // whatever the order
    const Rule& rule = *signed_off.find("made/loss").rule;
    REQUIRE(rule.sign_off);
    CHECK(rule.sign_off->by == "A. \"M\" Marsh");
    CHECK(rule.sign_off->on == "2026-05-31");
    CHECK(rule.lapsed_sign_off.empty());
    // What was not signed off again lapses; a remark for the reader does not touch it.
    folder.write("made.toml", book("3 dB", "note = \"further words\"\n"));
    RuleLibrary remarked;
    remarked.add_all({folder / "made.toml", folder / "signed.toml"});
    CHECK(remarked.find("made/loss").rule->sign_off);
    folder.write("made.toml", book("3.5 dB"));
    RuleLibrary changed;
    changed.add_all({folder / "made.toml", folder / "signed.toml"});
    CHECK_FALSE(changed.find("made/loss").rule->sign_off);
    CHECK(changed.find("made/loss").rule->lapsed_sign_off == "A. \"M\" Marsh, 2026-05-31");
}

TEST_CASE("sign-offs of unknown rules and files of another kind are refused") {
    TestFolder folder;
    folder.write("made.toml", book("3 dB"));
    RuleLibrary library;
    library.add(folder / "made.toml");
    const std::string entry = "says = \"0\"\nby = \"a\"\non = 2026-05-31\ndocument = \"d\"\n";
    folder.write("s.toml", "[[sign_off]]\nrule = \"made/los\"\n" + entry);
    CHECK(input_error([&] { library.add(folder / "s.toml"); }).find("did you mean \"loss\"?") !=
          std::string::npos);
    folder.write("t.toml", "[[sign_off]]\nrule = \"loss\"\n" + entry);
    CHECK(input_error([&] { library.add(folder / "t.toml"); }).find("names no rulebook") !=
          std::string::npos);
    // Of books that are not at hand nothing is said.
    folder.write("u.toml", "[[sign_off]]\nrule = \"other/loss\"\n" + entry);
    library.add(folder / "u.toml");
    CHECK_FALSE(
        input_error([&] {
            append_sign_off(folder / "made.toml", library.find("made/loss"), {"a", "2026-05-31", "d"});
        }).empty());
    CHECK(read_file(folder / "made.toml") == book("3 dB"));
}

TEST_CASE("doubts: unsure values, names that nothing gives") {
    TestFolder folder;
    folder.write("made.toml", book("3 dB"));
    RuleLibrary library;
    library.add(folder / "made.toml");
    const auto said = doubts(library.find("made/loss"), {"gain"});
    const auto has = [&](const char* part) {
        return std::any_of(said.begin(), said.end(),
                           [&](const std::string& line) { return line.find(part) != std::string::npos; });
    };
    CHECK(said.size() == 2);
    CHECK(has("unsure"));
    CHECK(has("judges \"loss\", which no procedure gives"));
    library.add(std::filesystem::path(RT_SOURCE) / "rulebooks/cispr-32.toml");
    CHECK(doubts(library.find("cispr-32/mains-b-qp"), {"emission"}).empty());
}
