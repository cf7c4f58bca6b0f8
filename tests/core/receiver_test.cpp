// Packet errors, power and path loss.
#include <doctest/doctest.h>

#include <cmath>

#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "core/stats/proportion.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Outcome run(const char* name, Capture capture,
            std::vector<std::pair<const char*, const char*>> settings = {}) {
    const Procedure& procedure = find_procedure(name);
    Parameters parameters(procedure.parameters);
    for (const auto& [key, value] : settings) parameters.set(key, value);
    parameters.fill_defaults();
    return measure(procedure, std::move(capture), parameters);
}

}  // namespace

TEST_CASE("the interval of a proportion is that of Clopper and Pearson") {
    // No events in n trials: high = 1 - (alpha / 2)^(1 / n), a closed form.
    CHECK(proportion_interval(0, 100, 0.95).high == about(1 - std::pow(0.025, 0.01)).epsilon(1e-9));
    CHECK(proportion_interval(0, 100, 0.95).low == 0);
    CHECK(proportion_interval(100, 100, 0.95).low == about(std::pow(0.025, 0.01)).epsilon(1e-9));
    CHECK(proportion_interval(100, 100, 0.95).high == 1);
    // 5 of 100, from scipy.stats.beta.ppf: 0.0164319, 0.1128349.
    CHECK(proportion_interval(5, 100, 0.95).low == about(0.0164319).epsilon(1e-5));
    CHECK(proportion_interval(5, 100, 0.95).high == about(0.1128349).epsilon(1e-5));
    CHECK(proportion_interval(0, 0, 0.95).high == 1);
    CHECK_THROWS_AS(proportion_interval(2, 1, 0.95), Error);
    CHECK_THROWS_AS(proportion_interval(1, 2, 1), Error);
}

TEST_CASE("packets that were sent and did not arrive are the error ratio") {
    const Outcome outcome = run("receiver.error-rate", Counts{1000, 988, 160000, 32, {}});
    CHECK(outcome.find_result("packet_error_ratio")->value.value == about(1.2));
    CHECK(outcome.find_result("bit_error_ratio")->value.value == about(2e-4));
    CHECK(outcome.find_result("packet_error_low")->value.value < 1.2);
    CHECK(outcome.find_result("packet_error_high")->value.value > 1.2);
    CHECK(run("receiver.error-rate", Counts{10, 10, 0, 0, {}}).find_result("bit_error_ratio") == nullptr);
    CHECK(run("receiver.error-rate", Counts{}).invalid ==
          "nothing was counted: no packets were sent and no bits compared");
    const Outcome doubtful = run("receiver.error-rate", Counts{10, 10, 0, 0, "counter reported error -300"});
    CHECK(doubtful.invalid == "counter reported error -300");
    CHECK(doubtful.results.empty());
    CHECK(input_error([] {
              run("receiver.error-rate", Counts{10, 11, 0, 0, {}});
          }).find("more than were sent") != std::string::npos);
    CHECK(input_error([] { run("receiver.error-rate", PowerReading{}); }) ==
          "receiver.error-rate needs counts, the capture holds power");
}

TEST_CASE("what was counted no longer than needed says how sure it is, and of which limit") {
    const auto value = [](const Outcome& out, const char* name) {
        return out.find_result(name)->value.value;
    };
    Counts early;
    early.packets_sent = 100, early.packets_received = 95, early.planned = 1500, early.seconds = 0.1;
    early.stopping.kind = Stopping::Kind::sequential;
    early.stopping.limit = 0.308, early.stopping.good = 0.154;
    const Outcome out = run("receiver.error-rate", early);
    REQUIRE(!out.invalid);
    CHECK(value(out, "packet_error_ratio") == about(5));
    CHECK(out.find_result("packet_error_ratio")->decided_at == std::optional(30.8));
    CHECK(value(out, "packets_saved") == 1400);
    CHECK(value(out, "decided_limit") == about(30.8));
    CHECK(value(out, "time_saved") == about(1.4));
    // 1 - binom.cdf(5, 100, 0.308) is within 1e-9 of 1; five errors need 32 trials for 30.8 % at 95 %.
    CHECK(value(out, "confidence_reached") == within(1e-6, 100));
    CHECK(value(out, "trials_needed") == 32);
    CHECK(out.observed_s == std::optional(0.1));
    // Not far enough for what was allowed to end it: no number.
    Counts undecided = early;
    undecided.packets_sent = 10, undecided.packets_received = 8;
    const Outcome none = run("receiver.error-rate", undecided);
    REQUIRE(none.invalid);
    CHECK(none.invalid->find("when nothing was decided") != std::string::npos);
    CHECK(none.results.empty());
    // Bits may decide instead of packets.
    Counts bits = early;
    bits.bits = 100000, bits.bit_errors = 3, bits.stopping.by_bits = true;
    bits.stopping.limit = 1e-3, bits.stopping.good = 1e-4;
    const Outcome by_bits = run("receiver.error-rate", bits);
    CHECK(by_bits.find_result("bit_error_ratio")->decided_at == std::optional(1e-3));
    // A file of bits alone: how sure it is, and how many would do. No errors in 3e9 bits against 1e-9.
    Counts alone;
    alone.bits = 3000000000;
    const Outcome sure = run("receiver.error-rate", alone, {{"limit", "1e-7 %"}});
    CHECK(value(sure, "confidence_reached") == about(100 * (1 - std::exp(-3.0))).epsilon(1e-6));
    CHECK(value(sure, "trials_needed") == about(2995732272).epsilon(1e-8));  // ln 20 / 1e-9
    CHECK(std::isnan(by_bits.find_result("packet_error_ratio")->decided_at.value()));
}

TEST_CASE("path loss is what was sent minus what arrives, and silence is no loss") {
    const PowerReading reading{-12.5, 1e9, 1, {}};
    const Outcome outcome = run("path.loss", reading, {{"frequency", "1 GHz"}, {"sent", "-10 dBm"}});
    CHECK(outcome.find_result("loss")->value.value == about(2.5));
    const Outcome silent =
        run("path.loss", PowerReading{-65, 1e9, 1, {}}, {{"frequency", "1 GHz"}, {"sent", "-10 dBm"}});
    CHECK(silent.invalid ==
          "seen: -65 dBm at the end of the path; expected: a signal above -60 dBm, with -10 dBm sent");
    CHECK(silent.results.empty());
    CHECK(run("power.level", reading, {{"frequency", "1 GHz"}}).find_result("power")->value ==
          Quantity{-12.5, Unit::dbm});
}
