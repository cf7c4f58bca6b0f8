// Settings stepped by single keys.
#include "lab/run/hand_keys.hpp"

#include <doctest/doctest.h>

#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

TEST_CASE("keys step a setting up and down without rounding, and take words in turn") {
    HandKey deviation;
    deviation.setting = "generator.deviation", deviation.up = 'd', deviation.down = 'a';
    deviation.step = Quantity{0.01, Unit::none};
    HandKey tones;
    tones.setting = "generator.tones", tones.up = 't', tones.values = {"both", "90", "150"};
    HandKey level;
    level.setting = "generator.level", level.up = '+', level.down = '-', level.step = Quantity{3, Unit::db};
    const std::vector<HandKey> all{deviation, tones};
    HandKeys keys(all, {{"generator.deviation", "0"}, {"generator.tones", "both"}, {"unit.state", "on"}});
    CHECK(keys.text() == "a/d generator.deviation 0, t generator.tones both");
    CHECK_FALSE(keys.press('x'));
    CHECK(keys.changed().empty());
    for (int i = 0; i < 30; ++i) keys.press('d');
    CHECK(keys.press('a')->second == "0.29");
    CHECK(keys.press('t')->second == "90");
    CHECK(keys.press('t')->second == "150");
    CHECK(keys.press('t')->second == "both");
    REQUIRE(keys.changed().size() == 2);
    CHECK(keys.changed()[0].second == "0.29");
    CHECK(keys.text() == "a/d generator.deviation 0.29, t generator.tones both");
    for (int i = 0; i < 29; ++i) keys.press('a');
    CHECK(keys.press('a')->second == "-0.01");
}
