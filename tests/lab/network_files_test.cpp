// Network data, kits, error terms, bias curves and wafer maps as files: each reads back what was written.
#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "core/network/forms.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/kit_file.hpp"
#include "lab/formats/touchstone.hpp"
#include "lab/formats/wafer_map_file.hpp"
#include "tests/core/made_network.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

Network wild(std::size_t ports, unsigned seed = 1) {
    made::Wild random(seed);
    return made::network({1e6, 2.5e6, 1e9}, ports, [&](double) {
        std::vector<std::complex<double>> s;
        for (std::size_t i = 0; i < ports * ports; ++i) s.push_back(random.within(1));
        return s;
    });
}

double apart(const Network& a, const Network& b) {
    REQUIRE(a.s.size() == b.s.size());
    double worst = 0;
    for (std::size_t i = 0; i < a.s.size(); ++i) worst = std::max(worst, std::abs(a.s[i] - b.s[i]));
    return worst;
}

// As a file holds it: numbers of one form, in rows.
std::string text_of(const std::vector<std::complex<double>>& values, const Network& n,
                    const std::string& form, bool swap) {
    std::string out;
    const std::size_t all = n.ports * n.ports;
    char row[80];
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        out += std::to_string(n.frequency_hz[i] / 1e6);
        for (std::size_t k = 0; k < all; ++k) {
            const std::size_t at = swap && all == 4 && (k == 1 || k == 2) ? 3 - k : k;
            const auto v = values[i * all + at];
            const double degrees = std::arg(v) * 180 / std::numbers::pi;
            if (form == "RI") std::snprintf(row, sizeof row, " %.15g %.15g", v.real(), v.imag());
            if (form == "MA") std::snprintf(row, sizeof row, " %.15g %.15g", std::abs(v), degrees);
            if (form == "DB")
                std::snprintf(row, sizeof row, " %.15g %.15g", 20 * std::log10(std::abs(v)), degrees);
            out += row;
            if (k % 4 == 3 || (n.ports > 2 && (k + 1) % n.ports == 0)) out += "\n";
        }
        out += "\n";
    }
    return out;
}

}  // namespace

TEST_CASE("touchstone: every number of ports and form of numbers, written by hand and by us") {
    for (const std::size_t ports : {1, 2, 3, 4, 5, 8}) {
        const Network n = wild(ports);
        for (const char* form : {"RI", "MA", "DB"}) {
            CAPTURE(ports);
            CAPTURE(form);
            const std::string text = std::string("# MHz S ") + form + " R 50\n" + text_of(n.s, n, form, true);
            CHECK(apart(parse_touchstone(text, "x", ports), n) < 1e-13);
        }
        CHECK(apart(parse_touchstone(touchstone(n), "x", ports), n) == 0);
        Network treated = n;
        treated.done = {"made up", "renormalised"};
        treated.distrust = "too loud";
        treated.source_dbm = -12.5, treated.attenuator_db = 20;
        treated.reference_ohm.clear();
        for (std::size_t p = 0; p < ports; ++p)
            treated.reference_ohm.push_back(50 + 5 * static_cast<double>(p));
        for (std::size_t i = 0; i < n.s.size(); ++i)
            treated.uncertainty.push_back(1e-4 * static_cast<double>(i + 1));
        const Network back = parse_touchstone(touchstone(treated), "x", 0);
        CHECK(apart(back, n) == 0);
        CHECK(back.done == treated.done);
        CHECK(back.distrust == treated.distrust);
        CHECK(back.source_dbm == treated.source_dbm);
        CHECK(back.attenuator_db == treated.attenuator_db);
        CHECK(back.reference(ports) == treated.reference(ports));
        CHECK(back.uncertainty == treated.uncertainty);
    }
}

TEST_CASE("touchstone: Y, Z, H and G, counted from the reference in version 1 and in units in version 2") {
    const Network n = wild(2);
    const std::pair<const char*, Form> all[]{
        {"Y", Form::admittance}, {"Z", Form::impedance}, {"H", Form::hybrid}, {"G", Form::inverse_hybrid}};
    for (const auto& [letter, form] : all) {
        CAPTURE(letter);
        const auto values = matrices(n, form);
        auto counted = values;
        for (std::size_t i = 0; i < counted.size(); ++i) {
            const std::size_t k = i % 4;
            if (form == Form::admittance || (form == Form::hybrid && k == 3) ||
                (form == Form::inverse_hybrid && k == 0))
                counted[i] *= 50;
            if (form == Form::impedance || (form == Form::hybrid && k == 0) ||
                (form == Form::inverse_hybrid && k == 3))
                counted[i] /= 50;
        }
        const std::string head = std::string("# MHz ") + letter + " RI R 50\n";
        CHECK(apart(parse_touchstone(head + text_of(counted, n, "RI", true), "x", 2), n) < 1e-10);
        const std::string two =
            "[Version] 2.0\n" + head +
            "[Number of Ports] 2\n[Two-Port Data Order] 12_21\n[Number of Frequencies] 3\n[Network Data]\n" +
            text_of(values, n, "RI", false) + "[End]\n";
        CHECK(apart(parse_touchstone(two, "x", 0), n) < 1e-10);
    }
    CHECK_THROWS_AS(parse_touchstone("# MHz H RI R 50\n1 1 0\n", "x", 1), Error);
}

TEST_CASE("touchstone: mixed-mode data in any order becomes single-ended") {
    const Network n = wild(5);
    const PortPairs pairs{{2, 4}, {5, 1}};
    const Network mixed = mixed_mode(n, pairs);
    // The file's ports: C of the second pair, single port 3, D of the first, C of the first, D of the second.
    const Network in_file = [&] {
        Network m = mixed;
        m.reference_ohm = {50};
        return reordered(m, {4, 5, 1, 3, 2});
    }();
    const std::string text =
        "[Version] 2.0\n# MHz S RI R 50\n[Number of Ports] 5\n[Number of Frequencies] 3\n[Reference] 50 50 "
        "50 50 50\n"
        "[Mixed-Mode Order] C5,1 S3 D2,4 C2,4 D5,1\n[Network Data]\n" +
        text_of(in_file.s, in_file, "RI", false) + "[End]\n";
    CHECK(apart(parse_touchstone(text, "x", 0), n) < 1e-13);
    const auto refused = [&](const std::string& order) {
        std::string other = text;
        other.replace(other.find("C5,1 S3"), std::string("C5,1 S3 D2,4 C2,4 D5,1").size(), order);
        return input_error([&] { parse_touchstone(other, "x", 0); });
    };
    CHECK(refused("C5,1 S3 D2,4 C2,4 D5,2").find("Mixed-Mode") != std::string::npos);
    CHECK(refused("C5,1 S3 D2,4 C2,4").find("lists 4 modes for 5 ports") != std::string::npos);
    CHECK(refused("C5,1 S3 D2,4 C2,4 Q1").find("D2,3 C2,3 S1") != std::string::npos);
}

TEST_CASE(
    "touchstone: noise of version 1 counts from the reference; what is cut off or negative is refused") {
    const std::string data = "# GHz S MA R 50\n1 .1 0 .2 0 .3 0 .4 0\n2 .1 0 .2 0 .3 0 .4 0\n";
    const Network n = parse_touchstone(data + "1 0.5 0.3 45 0.2\n3 0.9 0.4 50 0.3\n", "x", 2);
    REQUIRE(n.noise.size() == 2);
    CHECK(n.noise[1].minimum_figure_db == 0.9);
    CHECK(n.noise[0].resistance_ohm == 10);
    const Network again = parse_touchstone(touchstone(n), "x", 0);
    CHECK(again.noise[1].resistance_ohm == n.noise[1].resistance_ohm);
    CHECK(std::abs(again.noise[0].optimum - n.noise[0].optimum) < 1e-12);
    for (const char* wrong : {"1 0.5 0.3 45\n", "1 0.5 0.3 45 0.2\n0.5 0.5 0.3 45 0.2\n",
                              "1 0.5 0.3 45 -0.2\n", "1 0.5 0.3 45 0.2 9\n"})
        CHECK_THROWS_AS(parse_touchstone(data + wrong, "x", 2), Error);
}

TEST_CASE("a kit reads back, measured standards in it, and needs no other file then") {
    TestFolder folder;
    folder.write("short.s1p", "# GHz S RI R 50\n1 -0.99 0.01\n2 -0.98 0.02\n");
    const std::string text =
        "[kit]\ntitle = \"K\"\nserial = \"7\"\nreference = \"75 ohm\"\n"
        "[[standard]]\nname = \"open\"\nport = 2\ncapacitance = [\"1e-15\", 2e-27]\ndelay = \"30 ps\"\nloss "
        "= 2.1e9\nfrom = \"1 MHz\"\nto = \"26.5 GHz\"\n"
        "[[standard]]\nname = \"short\"\nfile = \"short.s1p\"\n"
        "[[standard]]\nname = \"load\"\nresistance = \"49.8 ohm\"\ninductance = [\"3e-12\"]\n";
    const CalibrationKit kit = parse_kit(text, folder / "kit.toml");
    CHECK(kit.reference_ohm == 75);
    CHECK(kit.find("open", 1) == nullptr);
    REQUIRE(kit.find("open", 2));
    CHECK(kit.find("open", 2)->capacitance[1] == 2e-27);
    REQUIRE(kit.find("short", 1)->data);
    const std::string kept = kit_text(kit);
    std::filesystem::remove(folder / "short.s1p");
    const CalibrationKit again = parse_kit(kept, folder / "elsewhere.toml");
    CHECK(kit_text(again) == kept);
    CHECK(again.find("short", 1)->data->s == kit.find("short", 1)->data->s);
    CHECK(again.find("open", 2)->loss_ohm_s == 2.1e9);
    CHECK(again.find("load", 2)->resistance_ohm == 49.8);
    const auto refused = [&](const std::string& more) {
        return input_error([&] { parse_kit("[kit]\ntitle = \"k\"\n[[standard]]\n" + more, "k.toml"); });
    };
    CHECK(refused("name = \"opn\"\n").find("did you mean \"open\"") != std::string::npos);
    CHECK(refused("name = \"open\"\nport = 3\n").find("must be 1 or 2") != std::string::npos);
    CHECK(refused("name = \"open\"\ncapacitance = [1,2,3,4,5]\n").find("more than four") !=
          std::string::npos);
    CHECK(refused("name = \"open\"\nresistance = \"50 ohm\"\n").find("of a load only") != std::string::npos);
    CHECK(refused("name = \"line\"\ndelay = \"-1 ps\"\n").find("negative") != std::string::npos);
    CHECK(refused("name = \"open\"\nfile = \"no.s1p\"\n").find("no.s1p") != std::string::npos);
    CHECK(refused("name = \"open\"\n[[standard]]\nname = \"open\"\n").find("two of") != std::string::npos);
}

TEST_CASE("error terms, bias curves and wafer maps read back as they were") {
    TestFolder folder;
    made::Wild random(3);
    ErrorTerms terms;
    terms.frequency_hz = {1e9, 2e9}, terms.method = "open, short (K)", terms.reference_ohm = 75;
    terms.source_dbm = -20, terms.attenuator_db = 10, terms.noise_floor = 1e-4, terms.noise_share = 2e-4;
    terms.deviations = {"one", "another"}, terms.distrust = "unlevelled";
    for (int i = 0; i < 2; ++i) {
        TermValues v;
        for (auto& value : v) value = random.within(1);
        terms.values.push_back(v);
        terms.moves.push_back({v, v});
    }
    const auto written = write_capture(folder / "terms", terms);
    const auto back = std::get<ErrorTerms>(read_capture(written.file));
    CHECK(back.values == terms.values);
    CHECK(back.moves == terms.moves);
    CHECK(back.method == terms.method);
    CHECK(back.deviations == terms.deviations);
    CHECK(back.distrust == terms.distrust);
    CHECK(back.source_dbm == -20);
    CHECK(back.noise_share == 2e-4);
    CHECK(back.reference_ohm == 75);

    BiasCurves curves;
    curves.input_current = true;
    curves.points = {{0.7, 1e-6, 2, 3e-3, false, false},
                     {0.7, 2e-6, 2, 5e-3, true, true},
                     {0.7, 3e-6, 1.5, 5e-3, false, true}};
    const auto bias = std::get<BiasCurves>(read_capture(write_capture(folder / "bias", curves).file));
    CHECK(bias.input_current);
    REQUIRE(bias.points.size() == 3);
    CHECK(bias.points[1].input_limited);
    CHECK(!bias.points[2].input_limited);
    CHECK(bias.points[2].output_v == 1.5);
    CHECK(input_error([&] {
              parse_capture(
                  "input voltage [V],input current [V],output voltage [V],output current [A]\n1,1,1,1\n",
                  "b.csv");
          }).find("input current [A]") != std::string::npos);

    const std::string text =
        "[map]\ntitle = \"W\"\npitch_x = \"1 mm\"\npitch_y = \"2 mm\"\nfirst_column = -2\ndies = [\".xo\", "
        "\"xRx\", \"..x\"]\n[[device]]\nname = \"a\"\nx = \"100 um\"\n";
    const auto map = std::get<WaferMap>(parse_capture(text, "w.toml"));
    CHECK(map.dies.size() == 6);
    CHECK(map.find("-1,1")->reference);
    CHECK(!map.find("0,0")->tested);
    CHECK(map.devices.at(0).x_m == 1e-4);
    CHECK(wafer_map_text(parse_wafer_map(wafer_map_text(map), "w.toml")) == wafer_map_text(map));
    CHECK(input_error([&] {
              parse_capture(
                  "[map]\ntitle = \"W\"\npitch_x = \"1 mm\"\npitch_y = \"2 mm\"\ndies = "
                  "[\"oR\"]\n[[device]]\nname = \"a\"\nx = \"2 mm\"\n",
                  "w.toml");
          }).find("outside of the die") != std::string::npos);
}
