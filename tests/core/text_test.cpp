#include "core/base/text.hpp"

#include <doctest/doctest.h>

using namespace rt;

TEST_CASE("slips of the keyboard find their word, other words do not") {
    CHECK(nearest("chanel", {"channel", "level", "state"}) == "channel");
    CHECK(nearest("Bandwidth", {"bandwidth"}) == "bandwidth");
    CHECK_FALSE(nearest("zzzzzz", {"channel", "level"}));
    CHECK(suggestion("zzzzzz", {"a", "b"}) == ": known are a, b");
}

TEST_CASE("any text makes a harmless file name") {
    CHECK(slug("radio-mask channel=11, level=8 dBm") == "radio-mask-channel-11-level-8-dBm");
    CHECK(slug("../../etc/passwd") == "etc-passwd");
    CHECK(slug("..") == "unnamed");
    CHECK(slug("") == "unnamed");
    CHECK(slug("a\nb\tc\"'`$(rm)") == "a-b-c-rm");
    CHECK(slug(std::string(500, 'x')).size() == 80);
}

TEST_CASE("exact texts read back the same and stay readable") {
    CHECK(exact(1e6) == "1000000");
    CHECK(exact(0.1) == "0.1");
    CHECK(exact(-2.5e-12) == "-2.5e-12");
    for (const double value : {1.0 / 3, 2.405e9, 1e300, 5e-324, 123456789.123456789})
        CHECK(to_double(exact(value)) == value);
}

TEST_CASE("numbers are whole texts") {
    CHECK(to_double("1e3") == 1000);
    CHECK(to_double("+4") == 4);
    CHECK_FALSE(to_double("4 "));
    CHECK_FALSE(to_double("nan"));
    CHECK_FALSE(to_double("inf"));
    CHECK_FALSE(to_double("++4"));
    CHECK_FALSE(to_double(""));
}

TEST_CASE("quoted texts show control characters and stay short") {
    CHECK(in_quotes("a\x1b[31m") == "\"a\\x1b[31m\"");
    CHECK(in_quotes("µ\xff\xc3") == "\"µ\\xff\\xc3\"");  // bytes that are no UTF-8
    CHECK(in_quotes(std::string(100, 'a')).size() == 65);
}

TEST_CASE("lines are wrapped at words, by characters and not by bytes") {
    using Lines = std::vector<std::string>;
    CHECK(wrapped("one two three", 8) == Lines{"one two", "three"});
    CHECK(wrapped("one two three", 0) == Lines{"one two three"});
    CHECK(wrapped("µµµ µµµ", 3) == Lines{"µµµ", "µµµ"});
    CHECK(wrapped("abcdefgh ij", 3) == Lines{"abc", "def", "gh", "ij"});
    CHECK(wrapped("ab µµµµ", 3) == Lines{"ab", "µµµ", "µ"});
    CHECK(wrapped("", 10) == Lines{""});
    for (const auto& line : wrapped("the quick brown fox jumps over the lazy dog", 11))
        CHECK(letters(line) <= 11);
}
