// docs/adding.md tells the truth: the files are there and hold what it says; the lists are complete.
#include <doctest/doctest.h>

#include <filesystem>
#include <set>

#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/files.hpp"
#include "lab/model/role_kinds.hpp"
#include "lab/simulate/instruments/bench.hpp"
#include "tests/expect_error.hpp"

using namespace rt;
using namespace rt::lab;

TEST_CASE("the page on adding pieces names files that are there and hold its lines") {
    const std::filesystem::path source = RT_SOURCE;
    const std::string page = read_file(source / "docs/adding.md");
    bool inside = false;
    std::size_t named = 0;
    for (const auto line : split(page, '\n')) {
        if (line.starts_with("```")) {
            inside = !inside;
            continue;
        }
        if (!inside) continue;
        ++named;
        const auto colon = line.find(": ");
        const std::string file(line.substr(0, colon));
        CAPTURE(file);
        REQUIRE(std::filesystem::exists(source / file));
        if (colon == std::string_view::npos) continue;
        const std::string wanted(line.substr(colon + 2));
        CAPTURE(wanted);
        CHECK(read_file(source / file).find(wanted) != std::string::npos);
    }
    CHECK(named >= 15);
}

TEST_CASE("every kind of capture has a row with a name of its own, and an instrument that is known") {
    std::set<std::string> names;
    for (const CaptureKind* kind : capture_kinds()) {
        CHECK(names.insert(kind->name()).second);
        CHECK(find_capture_kind(kind->name()) == kind);
        const std::string instrument = kind->instrument();
        CHECK((instrument.empty() || std::string(find_role_kind(instrument).name) == instrument));
    }
    CHECK(names.size() == std::variant_size_v<Capture>);
    CHECK(find_capture_kind("trials") == nullptr);
    CHECK(figures_of(CaptureRecord{"f", "trials", "", 0}) == Figures::none);
}

TEST_CASE("every kind of instrument is simulated, and another is refused") {
    const auto simulated = simulated_kind_names();
    for (const auto& kind : role_kinds()) {
        CAPTURE(kind.name);
        CHECK(std::count(simulated.begin(), simulated.end(), kind.name) == 1);
    }
    CHECK(simulated.size() == role_kinds().size());
    const RoleKind unknown{"spectroscope", "no such thing", {}, {}};
    Instrument instrument;
    instrument.role = "odd", instrument.dialect.kind = &unknown;
    CHECK(error_text(ErrorKind::input, [&] {
              make_simulated(nullptr, instrument);
          }).find("nothing simulates an instrument of kind spectroscope") != std::string::npos);
}
