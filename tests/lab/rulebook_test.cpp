#include "lab/formats/rule_library.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "core/rules/judge.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const RuleLibrary& shipped() {
    static const RuleLibrary library = [] {
        RuleLibrary out;
        out.add_folder(std::filesystem::path(RT_SOURCE) / "rulebooks");
        return out;
    }();
    return library;
}

double limit(const char* rule, double frequency_hz) {
    return shipped().find(rule).rule->line()->at(frequency_hz).value();
}

const std::string head =
    "[rulebook]\nid = \"b\"\ntitle = \"t\"\nstandard = \"s\"\nedition = \"1\"\nbasis = \"made "
    "up\"\n[[rule]]\nid = \"r\"\n"
    "title = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = \"emission\"\nconfidence = \"sure\"\n";

std::string trouble(const std::string& rest) {
    return input_error([&] { read_rulebook(head + rest, "b.toml"); });
}

}  // namespace

TEST_CASE("shipped rules state clause, basis and confidence, and stand against nothing signed off") {
    std::size_t rules = 0;
    std::set<std::string> ids;
    for (const auto& entry : shipped().entries()) {
        for (const auto& rule : entry.book.rules) {
            CAPTURE(rule.id);
            ++rules;
            CHECK(ids.insert(entry.book.id + "/" + rule.id).second);
            CHECK_FALSE(rule.clause.empty());
            CHECK(rule.basis.find("general knowledge") != std::string::npos);
            CHECK_FALSE(rule.sign_off);
        }
    }
    CHECK(rules == 548);
}

TEST_CASE("every shipped rule judges what some procedure gives, in a unit that it comes to") {
    std::size_t looked_at = 0;
    for (const auto& entry : shipped().entries()) {
        for (const auto& rule : entry.book.rules) {
            const std::string id = entry.book.id + "/" + rule.id;
            CAPTURE(id);
            std::string refused;
            bool fits = false;
            for (const auto& procedure : procedures()) {
                if (!procedure.gives(rule.applies_to)) continue;
                try {
                    require_applicable(procedure, shipped().find(id));
                    fits = true;
                } catch (const Error& error) {
                    refused = error.what();
                }
            }
            // What a search gives has the name that its campaign chose.
            const bool searched = rule.applies_to == "sensitivity" || refused.empty();
            CHECK_MESSAGE((fits || searched), refused);
            ++looked_at;
        }
    }
    CHECK(looked_at > 300);
}

TEST_CASE("shipped limits: the other classes, ports and distances") {
    struct Row {
        const char* rule;
        double mhz, limit;
    };
    const Row rows[] = {
        {"cispr-32/mains-a-qp", 0.3, 79},
        {"cispr-32/mains-a-qp", 0.5, 73},  // step down: the lower holds
        {"cispr-32/mains-a-qp", 10, 73},
        {"cispr-32/mains-a-av", 0.15, 66},
        {"cispr-32/mains-a-av", 30, 60},
        {"cispr-32/mains-b-av", 0.15, 56},
        {"cispr-32/mains-b-av", 0.5, 46},
        {"cispr-32/mains-b-av", 5, 46},
        {"cispr-32/mains-b-av", 5.1, 50},
        {"cispr-32/radiated-a-10m", 100, 40},
        {"cispr-32/radiated-a-10m", 230, 40},
        {"cispr-32/radiated-a-3m", 500, 57},
        {"cispr-32/radiated-b-10m", 230, 30},
        {"cispr-32/radiated-b-3m", 1000, 47},
        {"cispr-32/radiated-b-3m-far", 30, 42},
        {"cispr-32/radiated-b-3m-far", 230, 35},
        {"cispr-32/radiated-a-10m-far", 500, 42},
        {"cispr-32/radiated-b-above-1ghz-pk", 2000, 70},
        {"cispr-32/radiated-b-above-1ghz-av", 5000, 54},
        {"cispr-32/radiated-a-above-1ghz-pk", 3000, 76},
    };
    for (const auto& row : rows) {
        CAPTURE(row.rule);
        CAPTURE(row.mhz);
        CHECK(limit(row.rule, row.mhz * 1e6) == row.limit);
    }
    // The 3 m limits are 10 dB above those at 10 m, over the whole band.
    for (double f = 30e6; f <= 1e9; f *= 1.1) {
        CHECK(limit("cispr-32/radiated-b-3m", f) - limit("cispr-32/radiated-b-10m", f) == about(10));
        CHECK(limit("cispr-32/radiated-a-3m-far", f) - limit("cispr-32/radiated-a-10m-far", f) == about(10));
    }
}

TEST_CASE("the O-QPSK plan and mask are those of the standard") {
    const auto& plan = shipped().find_plan("ieee-802.15.4/oqpsk-2450");
    for (int k = 11; k <= 26; ++k) CHECK(plan.frequency_hz(k) == (2405 + 5 * (k - 11)) * 1e6);
    CHECK_FALSE(plan.frequency_hz(10));
    const Rule& rule = *shipped().find("ieee-802.15.4/oqpsk-psd-mask").rule;
    CHECK(rule.mask()->at(-4e6, 0)->level == -30);   // absolute
    CHECK(rule.mask()->at(4e6, -15)->level == -35);  // relative
    CHECK_FALSE(rule.mask()->at(3.4e6, 0));
    CHECK(rule.mask()->at(1e9, 0));
    CHECK_NOTHROW(
        require_applicable(find_procedure("radio.mask"), shipped().find("ieee-802.15.4/oqpsk-psd-mask")));
    CHECK(
        input_error([] {
            require_applicable(find_procedure("radio.mask"), shipped().find("cispr-32/mains-b-qp"));
        }) ==
        "rule cispr-32/mains-b-qp judges \"emission\", but procedure radio.mask gives psd, reference_level, "
        "reference_offset, channel_power");
}

TEST_CASE("unknown rules name their neighbours") {
    CHECK(input_error([] { shipped().find("cispr-32/mains-b-pq"); }) ==
          "rulebook cispr-32 has no rule \"mains-b-pq\": did you mean \"mains-b-qp\"?");
    CHECK(input_error([] { shipped().find("cispr-23/mains-b-qp"); }) ==
          "no rulebook \"cispr-23\" for \"cispr-23/mains-b-qp\": did you mean \"cispr-32\"?");
    CHECK(input_error([] { shipped().find("mains-b-qp"); }) ==
          "\"mains-b-qp\" names no rulebook: write it as book/rule, such as cispr-32/mains-b-qp");
}

TEST_CASE("a rulebook's mistakes are found when it is read") {
    CHECK(trouble("unit = \"dBuV\"\nkind = \"line\"\n").find("a line needs pieces") != std::string::npos);
    CHECK(trouble("unit = \"furlong\"\nkind = \"line\"\n")
              .starts_with("b.toml:14:1: key \"unit\" in [[rule]]: unknown unit \"furlong\""));
    CHECK(
        trouble("unit = \"dBuV\"\nkind = \"lime\"\n").find("unknown word \"lime\": did you mean \"line\"?") !=
        std::string::npos);
    CHECK(trouble("unit = \"dBuV\"\nkind = \"line\"\npieces = [{ from = \"2 MHz\", to = \"1 MHz\", limit = "
                  "\"5 dBuV\" }]\n") ==
          "b.toml:16:1: key \"pieces\" in [[rule]]: piece 1 runs backwards: from 2 MHz to 1 MHz; write the "
          "lower end first");
    CHECK(trouble("unit = \"dBuV\"\nkind = \"line\"\npieces = [{ from = \"1 MHz\", to = \"2 MHz\", limit = "
                  "\"5 dBm\" }]\n")
              .find("is a power level: write a voltage level in dBuV") != std::string::npos);
    CHECK(trouble("unit = \"dBuV\"\nkind = \"line\"\npieces = [{ from = \"1 MHz\", to = \"2 MHz\", limit = "
                  "\"5 dBuV\", limit_to = \"6 dBuV\" }]\n")
              .find("a slope needs interpolation") != std::string::npos);
    CHECK(trouble("unit = \"ppm\"\nkind = \"bound\"\n").find("a bound needs min or max") !=
          std::string::npos);
    CHECK(trouble("unit = \"ppm\"\nkind = \"bound\"\nmin = \"5 ppm\"\nmax = \"4 ppm\"\n")
              .find("is above max") != std::string::npos);
}

TEST_CASE("a user's rulebook with sign-off, lower limit, linear slope and own marginal distance") {
    const Rulebook book =
        read_rulebook(head +
                          "unit = \"dBm\"\nkind = \"line\"\nsense = \"lower\"\nmarginal = \"1 dB\"\n"
                          "pieces = [{ from = \"1 MHz\", to = \"3 MHz\", limit = \"-10 dBm\", limit_to = "
                          "\"10 dBm\", interpolation = \"linear\" }]\n[rule.sign_off]\nby = \"A. Marsh\"\n"
                          "on = 2026-05-04\ndocument = \"copy 3\"\n",
                      "b.toml");
    const Rule& rule = book.rules.at(0);
    CHECK(rule.line()->sense() == Sense::lower);
    CHECK(rule.line()->at(2e6) == about(0));
    CHECK(rule.marginal == 1);
    REQUIRE(rule.sign_off);
    CHECK(rule.sign_off->on == "2026-05-04");
    TestFolder folder;
    const auto file = folder.write("one.toml", head + "unit = \"dB\"\nkind = \"bound\"\nmax = \"1 dB\"\n");
    RuleLibrary library;
    library.add(file);
    CHECK_THROWS_AS(library.add(file), Error);  // an id is taken once
}

TEST_CASE("a lab's own book is layered on a published one and states only what it changes") {
    const TestFolder folder;
    RuleLibrary library;
    library.add_folder(std::filesystem::path(RT_SOURCE) / "rulebooks");
    const std::string head =
        "[rulebook]\nid = \"our-i2c\"\ntitle = \"Ours\"\nstandard = \"UM10204\"\nedition = \"7\"\nbasis = "
        "\"agreed\"\n";
    const auto add = [&](const std::string& text) {
        write_file(folder / "ours.toml", text);
        library.add(folder / "ours.toml");
    };
    add(head + "layered_on = \"i2c\"\n[[rule]]\nid = \"fast-low\"\nmin = \"1.4 us\"\n");
    const RuleRef changed = library.find("our-i2c/fast-low");
    CHECK(*changed.rule->bound()->min == about(1.4e-6));
    CHECK(changed.rule->applies_to == "low_time_least");
    CHECK(changed.rule->changed_from == "i2c/fast-low");
    CHECK(changed.rule->basis == "agreed");
    CHECK(library.find("our-i2c/fast-high").rule->changed_from.empty());
    CHECK(*library.find("i2c/fast-low").rule->bound()->min == about(1.3e-6));
    CHECK(library.find("our-i2c/fast-low").book->rules.size() ==
          library.find("i2c/fast-low").book->rules.size());
    const Procedure& procedure = find_procedure("bus.two-wire");
    CHECK(deviations_from(*changed.rule, Parameters(procedure.parameters)) ==
          std::vector<std::string>{"limit of the lab's own rulebook instead of i2c/fast-low"});
    CHECK(input_error([&] { add("[rulebook]\nid = \"x\"\nlayered_on = \"i3c\"\n"); }).find("i2c") !=
          std::string::npos);
    CHECK(input_error([&] {
              add("[rulebook]\nid = \"x\"\ntitle = \"x\"\nstandard = \"x\"\nedition = \"x\"\nbasis = "
                  "\"x\"\nlayered_on = \"our-i2c\"\n[[rule]]\nid = \"fast-low\"\n");
          }).find("is layered itself: layer on \"i2c\"") != std::string::npos);
}

TEST_CASE("every shipped rule judges what some procedure gives, with parameters that it has") {
    for (const auto& entry : shipped().entries()) {
        for (const auto& rule : entry.book.rules) {
            CAPTURE(entry.book.id + "/" + rule.id);
            if (rule.applies_to == "sensitivity") continue;  // a search of a campaign gives this one too
            bool fits = false;
            for (const auto& procedure : procedures()) {
                if (!procedure.gives(rule.applies_to)) continue;
                Parameters parameters(procedure.parameters);
                for (const auto& [name, value] : rule.presets) {
                    if (parameters.find(name)) parameters.set(name, value);
                }
                fits = fits || parameters.texts().size() == rule.presets.size();
            }
            CHECK(fits);
        }
    }
}

// Worked by hand from the formulas of the standards.
TEST_CASE("shipped limits of the further books") {
    CHECK(limit("47-cfr-15/15.209-qp", 50e6) == about(40.00));   // 100 uV/m
    CHECK(limit("47-cfr-15/15.209-qp", 100e6) == about(43.52));  // 150 uV/m
    CHECK(limit("47-cfr-15/15.109-b-qp", 300e6) == about(46.44));
    CHECK(limit("47-cfr-15/15.209-lf", 100e3) == about(20 * std::log10(2400.0 / 100)).epsilon(1e-3));
    CHECK(limit("47-cfr-15/15.209-pk", 5e9) == about(73.98));
    CHECK(limit("47-cfr-15/15.207-qp", 0.2e6) == about(63.61).epsilon(1e-4));
    CHECK(limit("mil-std-461/ce102-28v-low", 100e3) == about(73.99).epsilon(1e-3));
    CHECK(limit("mil-std-461/ce102-115v-high", 1e6) == about(66));
    CHECK(limit("mil-std-461/re102-ground-mobile-mid", 1e9) == about(44));
    CHECK(limit("mil-std-461/re102-ground-fixed-high", 18e9) == about(89).epsilon(1e-3));
    CHECK(limit("en-300-328/spurious-below-1ghz", 100e6) == -54);
    CHECK(limit("en-300-328/out-of-band-5mhz", 2398e6) == -10);
    CHECK(limit("en-300-328/out-of-band-5mhz", 2490e6) == -20);
    CHECK(limit("cispr-32/common-mode-b-voltage-av", 10e6) == 64);
    const auto level = [](const char* rule, double offset, double reference) {
        return shipped().find(rule).rule->mask()->at(offset, reference)->level;
    };
    CHECK(level("ieee-802.11/ofdm-mask", -10e6, 0) == about(-10));
    CHECK(level("ieee-802.11/ofdm-mask", 25e6, 5) == about(5 - 34));
    CHECK(level("en-301-893/mask-20mhz", 15e6, 10) == about(10 - 20 - 8.0 * 4 / 9));
    CHECK(level("en-301-893/mask-20mhz", 15e6, -20) == about(-30));
    CHECK(level("en-300-220/out-of-band-channel-100khz", 150e3, 0) == about(-18));
}
