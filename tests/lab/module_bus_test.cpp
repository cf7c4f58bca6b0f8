// Modules read over their bus: pages by form, what is not acknowledged, what differs.
#include <doctest/doctest.h>

#include "lab/formats/registers_file.hpp"
#include "lab/module/bus.hpp"
#include "tests/expect_error.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

Registers module(int identifier, std::initializer_list<int> pages, bool second = false) {
    Registers out;
    for (int place = 0; place < 128; ++place) out.set(0, 0, place, static_cast<std::uint8_t>(place));
    for (const int page : pages)
        for (int place = 128; place < 256; ++place)
            out.set(0, page, place, static_cast<std::uint8_t>(place + page));
    for (int place = 0; second && place < 256; ++place)
        out.set(1, 0, place, static_cast<std::uint8_t>(255 - place));
    out.set(0, 0, 0, static_cast<std::uint8_t>(identifier));
    out.set(0, 0, 2, 0);
    out.set(0, 0, 92, second ? 0x68 : 0);
    return out;
}

// Fails now and then, or gives another byte.
class Flaky : public RecordedModule {
  public:
    using RecordedModule::RecordedModule;
    int fails_every = 0, differs_every = 0;
    std::vector<std::uint8_t> read(int device, int first, std::size_t count) override {
        ++reads_;
        if (fails_every && reads_ % fails_every == 0) throw Error(ErrorKind::bench, "", "not acknowledged");
        auto out = RecordedModule::read(device, first, count);
        if (differs_every && reads_ % differs_every == 0) out[3] ^= 1;
        return out;
    }

  private:
    int reads_ = 0;
};

}  // namespace

TEST_CASE("each form has its pages") {
    RecordedModule sfp(module(0x03, {0}, true));
    auto read = read_registers(sfp, 1);
    CHECK(read.at(1, 0, 96) == 255 - 96);
    CHECK(read.known() == 512);
    RecordedModule plain(module(0x03, {0}));
    CHECK(read_registers(plain, 1).known() == 256);
    RecordedModule qsfp(module(0x11, {0, 3}));
    read = read_registers(qsfp, 1);
    CHECK(read.at(0, 3, 128) == 131);
    CHECK(read.at(0, 0, 128) == 128);
    RecordedModule cmis(module(0x18, {0, 1, 2, 0x11}));
    read = read_registers(cmis, 1);
    CHECK(read.at(0, 0x11, 154) == 154 + 0x11);
    CHECK(read.known() == 128 * 5);
    // A page that is not there is left out, and page 00h is selected again.
    RecordedModule less(module(0x18, {0, 2}));
    read = read_registers(less, 1);
    CHECK_FALSE(read.at(0, 0x11, 154));
    CHECK(read.at(0, 2, 128) == 130);
    CHECK(less.read(0, 127, 1).front() == 0);
}

TEST_CASE("a bus that fails or differs is counted, one that is silent is an error") {
    RecordedModule good(module(0x11, {0, 3}));
    auto read = read_registers(good, 50);
    CHECK(read.reads == 50);
    CHECK(read.failed_reads == 0);
    CHECK(read.differing_bytes == 0);
    // The first nine reads are those of the pages.
    Flaky differs(module(0x11, {0, 3}));
    differs.differs_every = 20;
    read = read_registers(differs, 50);
    CHECK(read.differing_bytes >= 2);
    CHECK(read.failed_reads == 0);
    Flaky fails(module(0x11, {0, 3}));
    fails.fails_every = 25;
    read = read_registers(fails, 50);
    CHECK(read.failed_reads == 2);
    // Kept and read back.
    const auto again = parse_registers_csv(registers_csv(read), "m.csv");
    CHECK(again.failed_reads == 2);
    CHECK(again.reads == 50);
    RecordedModule nobody{Registers{}};
    CHECK_THROWS_AS(read_registers(nobody, 1), Error);
    CHECK_THROWS_AS(open_i2c_bus("/dev/i2c-none"), Error);
}
