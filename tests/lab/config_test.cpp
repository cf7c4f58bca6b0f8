#include "lab/formats/config.hpp"

#include <doctest/doctest.h>

#include <array>

#include "core/base/error.hpp"
#include "lab/catalogue/config_files.hpp"
#include "tests/expect_error.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

constexpr std::array keys{
    KeyInfo{"name", Key::text, true, "its name"},
    KeyInfo{"width", Key::quantity, false, "its width", Unit::hertz},
    KeyInfo{"due", Key::date, false, "a date"},
    KeyInfo{"values", Key::words, false, "some values"},
    KeyInfo{"flag", Key::flag, false, "yes or no"},
    KeyInfo{"count", Key::whole, false, "how many"},
};
constexpr SectionInfo section{"[thing]", "", keys};

// `text` stands from line 1.
std::string trouble(const std::string& text) {
    return input_error([&] {
        const ConfigNode node = parse_config(text, "f.toml");
        const ConfigSection read(node, "f.toml", section);
        read.quantity("width");
    });
}

}  // namespace

TEST_CASE("every slip is named with file, line, column and a way out") {
    CHECK(trouble("name = \"a\"\nwidht = \"3 kHz\"\n") ==
          "f.toml:2:1: unknown key \"widht\" in [thing]: did you mean \"width\"?");
    CHECK(trouble("width = \"3 kHz\"\n") ==
          "f.toml:1:1: key \"name\" is missing in [thing]: write a text (its name)");
    CHECK(trouble("name = 5\n") ==
          "f.toml:1:1: key \"name\" in [thing] is not a text: write it so (its name)");
    CHECK(trouble("name = \"a\"\n  width = \"3 dB\"\n") ==
          "f.toml:2:3: key \"width\" in [thing]: \"3 dB\" is a level difference: write a frequency such as "
          "\"150 kHz\"");
    CHECK(trouble("name = \"a\"\nwidth = 9000\n") ==
          "f.toml:2:1: key \"width\" in [thing] is not a text such as \"150 kHz\": write it so (its width)");
    CHECK(trouble("name = \"a\"\ndue = \"next May\"\n") ==
          "f.toml:2:1: key \"due\" in [thing] is not a date such as 2027-05-31: write it so (a date)");
    const std::string broken = trouble("name = \"a\nwidth = 1\n");
    CHECK(broken.starts_with("f.toml:1:10: not valid TOML: "));
    CHECK(broken.find('\n') == std::string::npos);
    const std::string twice = trouble("name = \"a\"\nname = \"b\"\n");
    CAPTURE(twice);
    CHECK(twice.starts_with("f.toml:2:"));
}

TEST_CASE("a long text goes on behind a backslash with any letter, and errors keep their line") {
    const auto text = [](const std::string& toml) { return parse_config(toml, "f.toml").find("name")->text; };
    // ü and U+00A0 come first on the line that carries on; TOML 1.0: only space, tab and line ends are left
    // out.
    CHECK(text("name = \"\"\"one \\\n  \n\t\u00fcber\"\"\"\n") == "one \u00fcber");
    CHECK(text("name = \"\"\"one \\  \r\n\u00a0two\"\"\"\n") == "one \u00a0two");
    CHECK(text("name = \"\"\"\\\n\u20ac5\u00fc \\\n\U0001f4e1\"\"\"\n") == "\u20ac5\u00fc \U0001f4e1");
    CHECK(text("name = \"\"\"a\\\\\n\u00fc\"\"\"\n") == "a\\\n\u00fc");
    const std::string slip = trouble("name = \"\"\"a \\\n\u00fcb\\\n\n\u00e4\"\"\"\nwidht = \"3 kHz\"\n");
    CHECK(slip.starts_with("f.toml:5:1: unknown key"));
    const std::string cut = trouble("name = \"\"\"a \\\n\xc3");
    CHECK(cut.starts_with("f.toml:"));
}

TEST_CASE(
    "names that differ in letters beyond ASCII only are two names; where TOML is broken the place is told") {
    // By one letter of ASCII for each they become the same: \u00f6 and \u0110 are 26 apart.
    const ConfigNode node = parse_config("\"h\u00f6he\" = 1\n\"h\u0110he\" = 2\n# \u00e4\n", "f.toml");
    REQUIRE(node.entries.size() == 2);
    CHECK(node.entries[0].first == "h\u00f6he");
    CHECK(node.entries[1].first == "h\u0110he");
    for (const char* broken :
         {"a = -n.\"\u00fc\"", "a = \"\"\"k\\\ufefb\"\"\"", "a = \"\\\u00fc\"", "a = 'x' \"\u00fc\""}) {
        CAPTURE(broken);
        CHECK(input_error([&] { parse_config(broken, "f.toml"); }).starts_with("f.toml:1:"));
    }
}

TEST_CASE("values arrive as written") {
    const ConfigNode node = parse_config(
        "name = \"a\"\nwidth = \"0.15 MHz\"\ndue = 2027-05-31\nvalues = [1, \"two\", true, 2.5]\nflag = "
        "true\ncount = 7\n",
        "f.toml");
    const ConfigSection read(node, "f.toml", section);
    CHECK(read.text("name") == "a");
    CHECK(read.quantity("width")->value == 150e3);
    CHECK(read.text("due") == "2027-05-31");
    CHECK(read.texts("values") == std::vector<std::string>{"1", "two", "true", "2.5"});
    CHECK(read.flag("flag"));
    CHECK(read.whole("count") == 7);
    // Reading a key that is not in the table is our own mistake, and is found at once.
    CHECK_THROWS_AS(read.text("other"), Error);
    CHECK_THROWS_AS(read.whole("name"), Error);
}

TEST_CASE("every file type has a table for its reference page") {
    CHECK(config_files().size() == 14);
    for (const auto* file : config_files()) {
        CHECK(file->sections.size() >= 2);
        for (const auto* part : file->sections) {
            for (const auto& key : part->keys) {
                CAPTURE(key.name);
                CHECK(std::string(key.help).size() > 3);
                CHECK_FALSE(describe(key).empty());
            }
        }
    }
}
