// Numbers of instruments against bytes and texts written by hand from IEEE 488.2 and IEEE 754.
#include "lab/bench/numbers.hpp"

#include <doctest/doctest.h>

#include "tests/about.hpp"

using namespace rt::lab;

namespace {

std::string bytes(std::initializer_list<int> values) {
    std::string out;
    for (const int value : values) out += static_cast<char>(value);
    return out;
}

using Numbers = std::vector<double>;

}  // namespace

TEST_CASE("numbers in text: NR1, NR2, NR3, suffixes, hexadecimal, octal, binary") {
    const auto number = [](const char* text) { return parse_scpi_number(text).value_or(-12345); };
    CHECK(number("42") == 42);
    CHECK(number("+42") == 42);
    CHECK(number(" -4.20 ") == -4.2);
    CHECK(number("+1.500000E+09") == 1.5e9);
    CHECK(number("1e-3") == 1e-3);
    CHECK(number(".5") == 0.5);
    CHECK(number("#H1f") == 31);
    CHECK(number("#Q17") == 15);
    CHECK(number("#b101") == 5);
    CHECK(number("1.5 GHZ") == 1.5e9);
    CHECK(number("20MV") == about(20e-3));
    // Milli, but mega before hertz and ohms, and MA for mega elsewhere (IEEE 488.2, 7.7.3.3).
    CHECK(number("2 MHZ") == 2e6);
    CHECK(number("2 MOHM") == 2e6);
    CHECK(number("2 MS") == about(2e-3));
    CHECK(number("3 MAV") == 3e6);
    CHECK(number("-30 DBM") == -30);
    CHECK(number("-30.5dBm") == -30.5);
    CHECK(number("50 PCT") == 50);
    for (const char* text :
         {"",      "x", "1,2", "1 2", "--1", "+-1", "9.91E37", "9.9E37", "-9.9E+37",  "nan",   "inf",
          "1e999", "#", "#H",  "#HG", "#Q8", "#B2", "#X1",     "#10",    "5 bananas", "5 DBX", "1.2.3"}) {
        CAPTURE(std::string(text));
        CHECK_FALSE(parse_scpi_number(text));
    }
}

TEST_CASE("numbers in blocks: every form in either order of bytes") {
    // 1.5 and -2 in IEEE 754, and as whole numbers of each width.
    const auto decode = [](const std::string& data, NumberForm form, bool big) {
        return decode_numbers(data, {form, big, {}, "", "", {}}).value_or(Numbers{-12345});
    };
    CHECK(decode(bytes({0, 0, 0, 0, 0, 0, 0xf8, 0x3f, 0, 0, 0, 0, 0, 0, 0, 0xc0}), NumberForm::real64,
                 false) == Numbers{1.5, -2});
    CHECK(decode(bytes({0x3f, 0xf8, 0, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0}), NumberForm::real64,
                 true) == Numbers{1.5, -2});
    CHECK(decode(bytes({0, 0, 0xc0, 0x3f, 0, 0, 0, 0xc0}), NumberForm::real32, false) == Numbers{1.5, -2});
    CHECK(decode(bytes({0x3f, 0xc0, 0, 0, 0xc0, 0, 0, 0}), NumberForm::real32, true) == Numbers{1.5, -2});
    CHECK(decode(bytes({0x7f, 0x80, 0xff}), NumberForm::int8, false) == Numbers{127, -128, -1});
    CHECK(decode(bytes({0x34, 0x12, 0xfe, 0xff}), NumberForm::int16, false) == Numbers{0x1234, -2});
    CHECK(decode(bytes({0x12, 0x34, 0xff, 0xfe}), NumberForm::int16, true) == Numbers{0x1234, -2});
    CHECK(decode(bytes({0x78, 0x56, 0x34, 0x12}), NumberForm::int32, false) == Numbers{0x12345678});
    CHECK(decode(bytes({0xff, 0xff, 0xff, 0xfe}), NumberForm::int32, true) == Numbers{-2});
    CHECK(decode("1.5,-2,+3E0, #H10 ", NumberForm::ascii, false) == Numbers{1.5, -2, 3, 16});
    // Half a number, a hole in a list, and what stands for no number.
    CHECK_FALSE(decode_numbers("12345", {NumberForm::int16, true, {}, "", "", {}}));
    for (const char* list : {"1,,2", "1,2,", "1;2", "1,9.91E37", "", "1,two"}) {
        CAPTURE(list);
        CHECK_FALSE(decode_numbers(list, {NumberForm::ascii, false, {}, "", "", {}}));
    }
}
