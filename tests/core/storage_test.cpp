// Frames of a storage link, built character by character.
#include "core/serial/storage_frames.hpp"

#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/made_storage.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;
using Line = made::StorageLine;

TEST_CASE("check and scrambler of the link layer give the published values") {
    CHECK(storage_check(std::vector<std::uint32_t>{0x00308027, 0xE1234567, 0, 2, 0}) == 0x319FFF6F);
    CHECK(storage_scrambling(4) ==
          std::vector<std::uint32_t>{0xC2D2768D, 0x1F26B368, 0xA508436C, 0x3452D354});
}

TEST_CASE("frames are counted, with wrong checks, broken characters and missing ends") {
    Line line;
    line.sync(2);  // the first bits are lost before the first edge
    line.align();
    line.sync(40);
    line.frame({0x00308027, 0xE1234567, 0, 2, 0});
    line.sync(3);
    line.frame({0x46, 1, 2, 3}, false);
    line.sync(2);
    // CONT: what follows repeats the primitive before.
    line.primitive(0x9999AA7C);
    line.sync(1);
    line.frame({0x46, 7, 8, 9}, true, false);
    line.sync(3);
    line.frame({0x34, 5, 6});
    const std::size_t broken = line.bits.size();
    line.frame({0x34, 5, 6, 9});
    // No character has only three ones.
    for (const std::size_t k : {50, 51, 52, 53, 54, 55, 56, 57, 58, 59})
        line.bits[broken + k] = k == 50 || k == 53 || k == 57;
    line.sync(30);
    const auto out = run("storage.frames", line.wave(), {{"symbol_rate", "1.5 GHz"}});
    CHECK(value(out, "frames") == 4);
    CHECK(value(out, "check_errors") == 2);
    CHECK(value(out, "broken_frames") == 2);
    CHECK(value(out, "frame_error_ratio") == about(3.0 / 5));
    CHECK(value(out, "code_errors") >= 1);
    CHECK(value(out, "stray_words") == 0);
    REQUIRE(out.tables.size() == 2);
    CHECK(out.tables[0].rows.size() == 3);
    CHECK(std::get<std::string>(out.tables[0].rows[0][3]) == "wrong check");
    CHECK(std::get<std::string>(out.tables[0].rows[1][3]) == "no end");
    CHECK(std::get<std::string>(out.tables[0].rows[2][3]) == "wrong character");
}

TEST_CASE("a stream without primitives is no storage link") {
    Line line;
    bool positive = false;
    for (int i = 0; i < 400; ++i) {
        const auto ten = encode_8b10b({static_cast<std::uint8_t>(i % 8 ? i : 0x3C), i % 8 == 0}, positive);
        for (int k = 9; k >= 0; --k) line.bits.push_back(*ten >> k & 1);
    }
    const auto out = run("storage.frames", line.wave(), {{"symbol_rate", "1.5 GHz"}});
    REQUIRE(out.invalid);
    CHECK(out.invalid->find("none of the primitives") != std::string::npos);
}
