// Messages of beacons: the codes against minimal polynomials, fields against messages put together bit by
// bit.
#include <doctest/doctest.h>

#include <random>
#include <set>

#include "core/measure/beacon/bch.hpp"
#include "core/measure/beacon/countries.hpp"
#include "core/measure/beacon/frame.hpp"
#include "core/signal/code_word.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// The least common multiple of the minimal polynomials of alpha^1 ... alpha^(2 t), by multiplying (x -
// alpha^k).
unsigned generator_of(int degree, unsigned primitive, int correctable) {
    const int size = (1 << degree) - 1;
    std::vector<int> exponential(static_cast<std::size_t>(size)),
        logarithm(static_cast<std::size_t>(size) + 1);
    for (int i = 0, value = 1; i < size; ++i) {
        exponential[static_cast<std::size_t>(i)] = value;
        logarithm[static_cast<std::size_t>(value)] = i;
        value <<= 1;
        if (value >> degree & 1) value ^= static_cast<int>(primitive);
    }
    std::set<int> roots;
    for (int k = 1; k <= 2 * correctable; ++k)
        for (int j = 0, at = k; j < degree; ++j, at = at * 2 % size) roots.insert(at);
    std::vector<int> product{1};  // lowest power first
    for (const int root : roots) {
        std::vector<int> next(product.size() + 1);
        for (std::size_t i = 0; i < product.size(); ++i) {
            next[i + 1] ^= product[i];
            if (product[i])
                next[i] ^= exponential[static_cast<std::size_t>(
                    (logarithm[static_cast<std::size_t>(product[i])] + root) % size)];
        }
        product = next;
    }
    unsigned out = 0;
    for (std::size_t i = 0; i < product.size(); ++i) {
        REQUIRE(product[i] <= 1);
        out |= static_cast<unsigned>(product[i]) << i;
    }
    return out;
}

// A message put together from pieces of bits, with its check words.
CodeWord message(const std::string& first, const std::string& second) {
    std::vector<std::uint8_t> one, two;
    for (const char c : first)
        if (c != ' ') one.push_back(c == '1');
    for (const char c : second)
        if (c != ' ') two.push_back(c == '1');
    REQUIRE(one.size() == 61);
    CodeWord out;
    out.bits = one;
    const auto checks = beacon::checks_of(beacon::first_code, one);
    out.bits.insert(out.bits.end(), checks.begin(), checks.end());
    out.bits.insert(out.bits.end(), two.begin(), two.end());
    if (two.size() == 26) {
        const auto more = beacon::checks_of(beacon::second_code, two);
        out.bits.insert(out.bits.end(), more.begin(), more.end());
    }
    return out;
}

std::string binary(unsigned value, int bits) {
    std::string out;
    for (int k = bits - 1; k >= 0; --k) out += value >> k & 1 ? '1' : '0';
    return out;
}

std::string field(const Outcome& out, const std::string& name) {
    for (const auto& row : out.tables.front().rows)
        if (std::get<std::string>(row[1]) == name) return std::get<std::string>(row[2]);
    return "(none)";
}

Outcome of(const CodeWord& word, const Settings& settings = {}) {
    return run("beacon.message", word, settings);
}
Outcome of_hex(const std::string& text) {
    return of(parse_code_word(text));
}

}  // namespace

TEST_CASE("both generators are the products of minimal polynomials") {
    CHECK(generator_of(7, 0b10001001, 3) == beacon::first_code.generator);
    CHECK(generator_of(6, 0b1000011, 2) == beacon::second_code.generator);
}

TEST_CASE("up to three and two wrong bits are set right wherever they stand, more are refused or seen") {
    const CodeWord right = parse_code_word("8E361903E82B8035915C778C81A95D");
    std::mt19937 random(3);
    int refused = 0;
    for (int draw = 0; draw < 300; ++draw) {
        CodeWord word = right;
        std::set<std::size_t> places;
        // Bit 25 says how long the message is: it is left alone here.
        while (places.size() < static_cast<std::size_t>(draw % 5)) places.insert(1 + random() % 81);
        for (const auto place : places) word.bits[place] ^= 1;
        const auto out = of(word);
        if (places.size() <= 3) {
            CHECK(value(out, "errors_first") == static_cast<double>(places.size()));
            CHECK(field(out, "serial number") == "1000");
        } else {
            refused += out.invalid.has_value();
        }
    }
    // Of words with four wrong bits few lie within three of another code word.
    CHECK(refused > 50);
    for (int draw = 0; draw < 60; ++draw) {
        CodeWord word = right;
        std::set<std::size_t> places;
        while (places.size() < static_cast<std::size_t>(draw % 3)) places.insert(82 + random() % 38);
        for (const auto place : places) word.bits[place] ^= 1;
        const auto out = of(word);
        CHECK(value(out, "errors_second") == static_cast<double>(places.size()));
        CHECK(value(out, "latitude") == about(43 + 33 / 60.0 + 8 / 3600.0));
    }
    CodeWord length = right;
    length.bits[0] = 0;
    CHECK(of(length).invalid->find("bit 25") != std::string::npos);
}

TEST_CASE("messages that are known") {
    auto out = of_hex("8E3E0425A52B002E364FF709674EB7");
    CHECK(field(out, "protocol") == "standard location test");
    CHECK(field(out, "country") == "227 France");
    CHECK(value(out, "latitude") == about(42 + 57 / 60.0 + 40 / 3600.0));
    CHECK(value(out, "longitude") == about(1 + 22 / 60.0 + 16 / 3600.0));
    CHECK(field(out, "identity, position at its defaults") == "1C7C084B4AFFBFF");
    out = of_hex("4E37A0607200190BFA6E50");
    CHECK(field(out, "serial number") == "12345");
    CHECK(field(out, "certificate number") == "200");
    CHECK(field(out, "homing") == "121.5 MHz");
    CHECK(out.lacking.at("latitude") == "a short message holds no position");
    // The same behind its synchronisation, in a self-test.
    out = of_hex("FFFED04E37A0607200190BFA6E50");
    CHECK(value(out, "self_test") == 1);
    CHECK(value(out, "rules_broken") == 0);
    out = of_hex("FFFE204E37A0607200190BFA6E50");
    CHECK(value(out, "rules_broken") == 1);
    CHECK(of(parse_code_word("4E37A0607200190BFA6E50"), {{"identity", "9c6f40c0e400321"}})
              .find_result("country"));
    CHECK(of(parse_code_word("4E37A0607200190BFA6E50"), {{"identity", "9C6F40C0E400322"}}).invalid);
}

TEST_CASE("fields put together bit by bit") {
    const std::string country = binary(257, 10);
    // User, radio call sign LA7X and 123, second beacon, homing on 121.5 MHz; abandoning ship, manual.
    const std::string call = "0 1 " + country + " 110 101001 111000 011100 110111 " + binary(1, 4) +
                             binary(2, 4) + binary(3, 4) + " 011001 00 01";
    auto out = of(message(call, "1 0 1000"));
    CHECK(field(out, "call sign") == "LA7X123");
    CHECK(field(out, "beacon number") == "2");
    CHECK(field(out, "nature of distress") == "abandoning ship");
    CHECK(field(out, "country") == "257 Norway");
    CHECK(value(out, "rules_broken") == 0);
    // An aircraft's registration with the beacon's number; medical help.
    out = of(message("0 1 " + country + " 001 101001 100110 011000 111000 110011 101110 100100 01 00",
                     "1 1 0100"));
    CHECK(field(out, "aircraft registration") == "LN-ABC");
    CHECK(field(out, "nature of distress") == "medical help");
    CHECK(field(out, "activation") == "automatic and manual");
    // EPIRB by its ship, without a position.
    const std::string ship = binary(123456, 20) + binary(1, 4);
    out = of(message("1 0 " + country + " 0010 " + ship + " 0 111111111 0 1111111111",
                     "1101 1 1 1 00000 1111 1 00000 1111"));
    CHECK(field(out, "ship") == "257123456 (maritime mobile service identity)");
    CHECK(out.lacking.at("latitude").find("no position") != std::string::npos);
    CHECK(value(out, "rules_broken") == 0);
    // South and west, with offsets that subtract.
    out = of(message("1 0 " + country + " 0110 " + binary(100, 10) + binary(77, 14) + " 1 " +
                         binary(4 * 54 + 1, 9) + " 1 " + binary(4 * 8, 10),
                     "1101 0 0 0 " + binary(3, 5) + binary(5, 4) + " 1 " + binary(2, 5) + binary(1, 4)));
    CHECK(value(out, "latitude") == about(-(54.25 - 3 / 60.0 - 20 / 3600.0)));
    CHECK(value(out, "longitude") == about(-(8 + 2 / 60.0 + 4 / 3600.0)));
    CHECK(field(out, "121.5 MHz homing") == "no");
    // National: degrees and minutes in steps of two, offsets of minutes below four.
    out = of(message("1 0 " + country + " 1011 " + binary(4242, 18) + " 0 " + binary(59, 7) + binary(17, 5) +
                         " 0 " + binary(10, 8) + binary(22, 5),
                     "110 1 1 1 1 01 " + binary(3, 4) + " 0 00 " + binary(14, 4) + " 000000"));
    CHECK(value(out, "latitude") == about(59 + 34 / 60.0 + 1 / 60.0 + 12 / 3600.0));
    CHECK(value(out, "longitude") == about(10 + 44 / 60.0 - 56 / 3600.0));
    // User with location: four minutes a step.
    out = of(message("1 1 " + country + " 010 100110 100110 100110 100110 100110 100110 001101 00 10",
                     "1 1 " + binary(33, 7) + binary(6, 4) + " 0 " + binary(151, 8) + binary(14, 4)));
    CHECK(value(out, "latitude") == about(-(33 + 24 / 60.0)));
    CHECK(value(out, "longitude") == about(151 + 56 / 60.0));
    CHECK(field(out, "homing") == "9 GHz search and rescue transponder");
}

TEST_CASE("broken rules are named") {
    const std::string country = binary(257, 10);
    const auto broken = [&](const std::string& first, const std::string& second) {
        const auto out = of(message(first, second));
        std::string all;
        for (const auto& note : out.notes) all += note + "\n";
        CHECK(value(out, "rules_broken") >= 1);
        return all;
    };
    const std::string whole = "1101 1 1 1 00000 1111 1 00000 1111";
    const std::string plain = binary(1, 24) + " 0 111111111 0 1111111111";
    CHECK(broken("1 0 " + binary(1000, 10) + " 0011 " + plain, whole).find("1000 is allotted to nobody") !=
          std::string::npos);
    CHECK(broken("1 0 " + country + " 0001 " + plain, whole).find("spare protocol") != std::string::npos);
    CHECK(broken("1 0 " + country + " 0011 " + plain, "1001 1 1 1 00000 1111 1 00000 1111")
              .find("must be 1101") != std::string::npos);
    CHECK(broken("1 0 " + country + " 0011 " + binary(1, 24) + " 0 " + binary(4 * 91, 9) + " 0 0000000000",
                 whole)
              .find("no latitude of 91") != std::string::npos);
    CHECK(broken("1 0 " + country + " 0010 " + binary(1000000, 20) + "0000 0 111111111 0 1111111111", whole)
              .find("more than six digits") != std::string::npos);
    CHECK(broken("0 1 " + country + " 101 " + binary(0, 46), "000000").find("spare protocol") !=
          std::string::npos);
    CHECK(broken("0 0 " + country + " 0011 " + plain, "000000").find("protocols with a location are long") !=
          std::string::npos);
}

TEST_CASE("what is no message: wrong length, wrong characters") {
    CHECK(input_error([] { of_hex("8E3E0425A52B002E364FF709674EB"); }).find("these are 116 bits") !=
          std::string::npos);
    CHECK(input_error([] {
              parse_code_word("8E3E04ZZ");
          }).find("\"Z\" is no hexadecimal digit (character 7)") != std::string::npos);
    CHECK(input_error([] { parse_code_word(" \n"); }).find("there is no message") != std::string::npos);
    CHECK(std::string(beacon::country_of(227)) == "France");
    CHECK(beacon::country_of(0) == nullptr);
    CHECK(beacon::country_of(1023) == nullptr);
}
