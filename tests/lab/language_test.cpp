// The report's page in other languages.
#include <doctest/doctest.h>

#include "lab/report/page/language.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt::lab;

namespace {

const std::filesystem::path shipped = std::filesystem::path(RT_SOURCE) / "languages";

}  // namespace

TEST_CASE("shipped languages have every text of the page and no other; English is the page itself") {
    const auto texts = page_texts();
    CHECK(texts.size() > 100);
    for (const char* name : {"en.toml", "de.toml"}) {
        CAPTURE(name);
        const ReportLanguage language = read_language(shipped / name);
        CHECK(language.texts.size() == texts.size());
        for (const auto& text : texts) CHECK_MESSAGE(language.texts.contains(text), text);
        CHECK(language.lacking().empty());
    }
    for (const auto& [text, same] : read_language(shipped / "en.toml").texts) CHECK(text == same);
}

TEST_CASE("a translation takes the place of its text, values stay, markup of its own does not come in") {
    ReportLanguage language;
    language.texts = {{"Summary", "Zusammenfassung"}, {"part {{number}}", "Teil {{number}} <b>"}};
    CHECK(in_language("<h2>[[Summary]]</h2>[[part {{number}}]] [[Rules]]", language) ==
          "<h2>Zusammenfassung</h2>Teil {{number}} &lt;b&gt; Rules");
    CHECK(in_language("a [[open", language) == "a [[open");
}

TEST_CASE("a language that names texts or values that there are not is refused with its place") {
    TestFolder folder;
    const auto refused = [&](const std::string& text) {
        folder.write("x.toml", "[language]\ncode = \"x\"\nname = \"X\"\n[texts]\n" + text);
        return input_error([&] { read_language(folder / "x.toml"); });
    };
    CHECK(
        refused("\"Sumary\" = \"x\"\n").find("the page has no text \"Sumary\": did you mean \"Summary\"?") !=
        std::string::npos);
    CHECK(refused("\"part {{number}}\" = \"Teil\"\n").find("names other values than") != std::string::npos);
    folder.write("y.toml", "[language]\ncode = \"de\\\" onload\"\nname = \"X\"\n[texts]\n");
    CHECK(input_error([&] { read_language(folder / "y.toml"); }).find("is no code of a language") !=
          std::string::npos);
    folder.write("z.toml", "[language]\ncode = \"zz\"\nname = \"Z\"\n[texts]\n\"Summary\" = \"Z\"\n");
    CHECK(read_language(folder / "z.toml").lacking().size() == page_texts().size() - 1);
}
