// What a unit says of itself against what is known of it.
#include <doctest/doctest.h>

#include "lab/run/unit_identity.hpp"
#include "tests/expect_error.hpp"

using namespace rt::lab;

namespace {

std::string refused(const TextPairs& said, const TextPairs& known) {
    return error_text(rt::ErrorKind::bench, [&] { taken_over(said, known, "module"); });
}

}  // namespace

TEST_CASE("what is not known is taken over; what is known must be the same, capitals and spaces aside") {
    const TextPairs said{{"maker", "NORTHHAVEN"}, {"model", "NT-1"}, {"serial", "N-7"}};
    CHECK(taken_over(said, {}, "module") == said);
    CHECK(taken_over(said, {{"maker", " Northhaven "}, {"serial", "N-7"}}, "module") ==
          TextPairs{{"model", "NT-1"}});
    // An empty text is nothing stated.
    CHECK(taken_over(said, {{"serial", ""}, {"model", "nt-1"}}, "module") ==
          TextPairs{{"maker", "NORTHHAVEN"}, {"serial", "N-7"}});
    CHECK(refused(said, {{"serial", "N-8"}}) ==
          "another unit: the module says that its serial is \"N-7\", not \"N-8\"");
    CHECK(refused(said, {{"maker", "Tidework"}}).find("its maker is \"NORTHHAVEN\"") != std::string::npos);
    // Without model or serial number nobody knows what was measured.
    CHECK(refused({{"maker", "M"}, {"model", "N"}}, {}) ==
          "the module does not say its serial: state it in [unit]");
    CHECK(taken_over({{"model", "N"}}, {{"serial", "1"}}, "module") == TextPairs{{"model", "N"}});
}
