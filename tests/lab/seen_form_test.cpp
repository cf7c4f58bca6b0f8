// Forms of numbers seen in bytes that are written here by hand.
#include <doctest/doctest.h>

#include <cmath>
#include <cstring>

#include "lab/proof/header_words.hpp"
#include "lab/proof/seen_form.hpp"

using namespace rt::lab;

namespace {

template <class Number>
std::string block(const std::vector<double>& values, bool big) {
    std::string out;
    for (const double value : values) {
        const auto number = static_cast<Number>(value);
        char bytes[sizeof number];
        std::memcpy(bytes, &number, sizeof number);
        std::string text(bytes, sizeof number);  // this machine is little-endian
        if (big) text.assign(text.rbegin(), text.rend());
        out += text;
    }
    const std::string length = std::to_string(out.size());
    return "#" + std::to_string(length.size()) + length + out;
}

// A trace: noise about -90, a line of -30.
std::vector<double> trace(double scale = 1) {
    std::vector<double> out;
    for (int i = 0; i < 101; ++i) out.push_back(scale * (-90 + 3 * std::sin(1.7 * i) + (i == 50 ? 60 : 0)));
    return out;
}

}  // namespace

TEST_CASE("real numbers of 64 and 32 bits show their order") {
    CHECK(seen_form(block<double>(trace(), false), 101).keys == "");
    CHECK(seen_form(block<double>(trace(), false), 101).words == "real64, little-endian");
    CHECK(seen_form(block<double>(trace(), true), 101).keys == "form = \"real64\"\norder = \"big\"\n");
    CHECK(seen_form(block<float>(trace(), false), 101).keys == "form = \"real32\"\n");
    CHECK(seen_form(block<float>(trace(), true), 101).keys == "form = \"real32\"\norder = \"big\"\n");
}

TEST_CASE("whole numbers show their width, and their order by their neighbours") {
    const auto narrow = seen_form(block<std::int8_t>(trace(), false), 101);
    CHECK(narrow.keys == "form = \"int8\"\n");
    CHECK(narrow.scaled);
    CHECK(seen_form(block<std::int16_t>(trace(100), true), 101).keys ==
          "form = \"int16\"\norder = \"big\"\n");
    CHECK(seen_form(block<std::int16_t>(trace(100), false), 101).keys ==
          "form = \"int16\"\norder = \"little\"\n");
    CHECK(seen_form(block<std::int32_t>(trace(1000), true), 101).keys ==
          "form = \"int32\"\norder = \"big\"\n");
    // An indefinite block has no length to go by.
    std::string endless = block<std::int16_t>(trace(100), true);
    endless = "#0" + endless.substr(5);
    CHECK(seen_form(endless, 101).words == "101 whole numbers of 16 bits");
}

TEST_CASE("lists, unknown sizes and what is no data") {
    CHECK(seen_form("-1.5,2E3, 0", 3).keys == "form = \"ascii\"\n");
    CHECK(seen_form("READY", 3).words == "");
    CHECK(seen_form("1", 3).words == "");
    CHECK(seen_form("", 3).words == "");
    CHECK(seen_form(block<double>(trace(), false), 0).size_unknown);
    CHECK(seen_form(block<double>(trace(), false), 0).words == "a block of 808 bytes");
    CHECK(seen_form(block<double>(trace(), false), 100).words == "808 bytes for 100 points");
    CHECK(seen_form(block<double>(trace(), false), 100).keys == "");
}

TEST_CASE("headers that may be meant, and those that only look like it") {
    const std::vector<std::string> headers{"SENSe:FREQuency:STARt", "TRIGger:STARt", "FILTer:WIDTh",
                                           "SENSe:BANDwidth:VIDeo", "SWEep:RUN",     "INITiate:CONTinuous"};
    CHECK(meant_headers("set_start", headers) == std::vector<std::string>{"SENSe:FREQuency:STARt"});
    CHECK(meant_headers("set_bandwidth", headers) == std::vector<std::string>{"FILTer:WIDTh"});
    CHECK(meant_headers("sweep", headers) == std::vector<std::string>{"SWEep:RUN"});
    CHECK(meant_headers("set_nothing", headers).empty());
    CHECK(plain_header("[SENSe:]FREQuency[:CW]") == "SENSe:FREQuency:CW");
    CHECK(header_of("SENSe:FREQuency:STARt {hz}") == "SENSe:FREQuency:STARt");
}
