// What an operator makes of values that were found.
#include "lab/run/choice.hpp"

#include <doctest/doctest.h>

#include "tests/expect_error.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

std::vector<AxisValue> frequencies() {
    std::vector<AxisValue> out;
    for (const double mhz : {48.0, 144.0, 528.0}) out.push_back(quantity_value({mhz * 1e6, Unit::hertz}));
    return out;
}

std::string texts(const std::vector<AxisValue>& values) {
    std::string out;
    for (const auto& value : values) out += (out.empty() ? "" : ", ") + value.text;
    return out;
}

std::string after(const std::string& reply) {
    return texts(chosen(frequencies(), reply));
}

}  // namespace

TEST_CASE("values are taken, left out and added, in any spelling") {
    CHECK(after("") == "48 MHz, 144 MHz, 528 MHz");
    CHECK(after("1 3") == "48 MHz, 528 MHz");
    CHECK(after("3,1,1") == "48 MHz, 528 MHz");
    CHECK(after("-2") == "48 MHz, 528 MHz");
    CHECK(after("- 2, -1") == "528 MHz");
    CHECK(after("+630 MHz") == "48 MHz, 144 MHz, 528 MHz, 630 MHz");
    CHECK(after("+ 0.63 GHz -2") == "48 MHz, 528 MHz, 630 MHz");
    CHECK(after("2 +630MHz +700 MHz") == "144 MHz, 630 MHz, 700 MHz");
    CHECK(after("+48 MHz") == "48 MHz, 144 MHz, 528 MHz");  // there already
    CHECK(texts(chosen({word_value("a"), word_value("b")}, "2 +c")) == "b, c");
}

TEST_CASE("a reply that cannot be meant is refused with the reason") {
    const auto refused = [](const std::string& reply) { return input_error([&] { after(reply); }); };
    CHECK(refused("4").find("is no number from 1 to 3") != std::string::npos);
    CHECK(refused("0").find("is no number from 1 to 3") != std::string::npos);
    CHECK(refused("1.5").find("is no number") != std::string::npos);
    CHECK(refused("all").find("is no number") != std::string::npos);
    CHECK(refused("1 -2").find("either the numbers") != std::string::npos);
    CHECK(refused("-1 -2 -3").find("nothing would be left") != std::string::npos);
    CHECK(refused("+").find("behind the +") != std::string::npos);
    CHECK(refused("+5 V").find("Hz") != std::string::npos);
}
