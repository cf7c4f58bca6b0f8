// Registers of modules and messages as files.
#include "lab/formats/registers_file.hpp"

#include <doctest/doctest.h>

#include "core/signal/code_word.hpp"
#include "lab/captures/capture_file.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

std::string bytes(std::size_t count, char first) {
    std::string out(count, '\0');
    for (std::size_t i = 0; i < count; ++i) out[i] = static_cast<char>(i * 7 % 251);
    out[0] = first;
    return out;
}

}  // namespace

TEST_CASE("a dump of registers in the forms that tools write") {
    const std::string plain = "0000: 03 04 07 10\n0010: 20 21\n";
    const std::string with_text = "Offset  Values\n0x0000:  03 04 07 10\n0x0010:  20 21\n";
    const std::string bars =
        "00000000  03 04 07 10                                       |....|\n"
        "00000010  20 21                                             | !|\n";
    const std::string pairs =
        "00000000: 0304 0710                                ....\n00000010: 2021                             "
        "         !\n";
    const std::string table =
        "     0  1  2  3  4  5  6  7  8  9  a  b  c  d  e  f    0123456789abcdef\n"
        "00: 03 04 07 10 XX XX XX XX XX XX XX XX XX XX XX XX    ????\n10: 20 21 XX\n";
    for (const auto& text : {plain, with_text, bars, pairs, table}) {
        CAPTURE(text);
        CHECK(holds_registers_dump(text));
        const auto out = parse_registers_dump(text, "m.txt");
        CHECK(out.known() == 6);
        CHECK(out.at(0, 0, 3) == 0x10);
        CHECK(out.at(0, 0, 17) == 0x21);
        CHECK_FALSE(out.at(0, 0, 4));
    }
    // Text beside full rows may look like numbers; eight bytes may stand in two halves.
    const std::string full = "0000: 03 01 02 03 04 05 06 07  08 09 0a 0b 0c 0d 0e 0f  ab cd ef 01\n";
    CHECK(parse_registers_dump(full, "m.txt").known() == 16);
    CHECK(parse_registers_dump(full, "m.txt").at(0, 0, 15) == 15);
}

TEST_CASE("devices and pages: said above their rows, or counted on") {
    const auto said = parse_registers_dump("A0h\n00: 03\nA2h\n60: 1e 80\n", "m.txt");
    CHECK(said.at(1, 0, 0x60) == 0x1E);
    const auto pages = parse_registers_dump(
        "Lower memory\n00: 18 50\nPage 00h\n80: 18\nPage 0x11\n80: aa\nupper page 02h:\n00: bb\n", "m.txt");
    CHECK(pages.at(0, 0x11, 128) == 0xAA);
    CHECK(pages.at(0, 2, 128) == 0xBB);
    CHECK(pages.at(0, 0x11, 0) == 0x18);  // the lower memory is that of every page
    const auto small = parse_registers_dump("0000: 03\n0160: 1e 80\n", "m.txt");
    CHECK(small.at(1, 0, 0x60) == 0x1E);
    const auto counted = parse_registers_dump("0000: 11\n0200: 4b\n", "m.txt");  // 512: page 03h, byte 128
    CHECK(counted.at(0, 3, 128) == 0x4B);
    const auto repeated = parse_registers_dump(
        "00000000  03 00\n00000010  00 00 00 00 00 00 00 00  00 00 00 00 00 00 00 00  |................|\n*\n"
        "00000040  07\n",
        "m.txt");
    CHECK(repeated.at(0, 0, 0x3F) == 0);
    CHECK(repeated.at(0, 0, 0x40) == 7);
}

TEST_CASE("bare bytes, and the table that a run keeps") {
    const auto one = parse_registers_bytes(bytes(512, 3), "m.bin");
    CHECK(one.at(1, 0, 5) == 261 * 7 % 251);
    const auto paged = parse_registers_bytes(bytes(640, 0x11), "m.bin");
    CHECK(paged.at(0, 3, 130) == 514 * 7 % 251);
    const auto again = parse_registers_csv(registers_csv(paged), "m.csv");
    CHECK(again.pages == paged.pages);
    CHECK(parse_registers_csv("byte,value\n0,0x03\n1,4\n2,07h\n", "m.csv").at(0, 0, 2) == 7);
    CHECK(input_error([] { parse_registers_bytes(bytes(300, 3), "m.bin"); }).find("holds 300 bytes") !=
          std::string::npos);
    CHECK(input_error([] { parse_registers_bytes(bytes(300, 0x11), "m.bin"); }).find("128 of each page") !=
          std::string::npos);
    CHECK(input_error([] {
              parse_registers_csv("byte,value\n0,0x1FF\n", "m.csv");
          }).find("no whole number from 0 to 255") != std::string::npos);
    CHECK(input_error([] { parse_registers_csv("byte,value\n0,1A\n", "m.csv"); }).find("\"1A\"") !=
          std::string::npos);
    CHECK(input_error([] { parse_registers_dump("0000: 03 0g\n", "m.txt"); }) ==
          "m.txt:1: \"0g\" is no byte: write two hexadecimal digits, or XX for one not read");
    CHECK(input_error([] { parse_registers_dump("0000: 03\nmore words\n", "m.txt"); }).find("m.txt:2") !=
          std::string::npos);
}

TEST_CASE("plain text is a dump, a message or a table") {
    TestFolder folder;
    folder.write("dump.txt", "0000: 03 04\n");
    folder.write("word.txt", "# from the label\n8E3E0425A52B002E 364FF709674EB7\n");
    folder.write("bits.hex", std::string(44, '0') + std::string(44, '1') + "\n");
    folder.write("bad.txt", "8E3E0425X\n");
    CHECK(std::holds_alternative<Registers>(read_capture(folder / "dump.txt")));
    const auto word = read_capture(folder / "word.txt");
    REQUIRE(std::holds_alternative<CodeWord>(word));
    CHECK(hex_text(std::get<CodeWord>(word)) == "8E3E0425A52B002E364FF709674EB7");
    CHECK(std::get<CodeWord>(read_capture(folder / "bits.hex")).bits.size() == 88);
    CHECK(input_error([&] { read_capture(folder / "bad.txt"); }).find("\"X\" is no hexadecimal digit") !=
          std::string::npos);
    // What a run keeps is read back as it was.
    const auto kept = write_capture(folder / "kept", word);
    CHECK(std::get<CodeWord>(read_capture(kept.file)).bits == std::get<CodeWord>(word).bits);
}
