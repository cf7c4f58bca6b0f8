// A low-energy tag: found among others, its packet errors counted the way it allows, its bursts and
// modulation.
#include <cmath>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"
#include "tests/cli/typist.hpp"

using rt::Verdict;

namespace {

struct Tag : ShippedCampaign {
    Tag() : ShippedCampaign("short-range", "simulated-tag.toml", {"tag-control.toml", "limits.toml"}) {}
    Said run(std::vector<std::string> more = {}) {
        std::vector<std::string> all{"run",       "campaign.toml", "--out",       "run",
                                     "--no-live", "--no-report",   "--unattended"};
        all.insert(all.end(), more.begin(), more.end());
        return tell(all);
    }
    Said carry_on() {
        return rare_tally(folder.path(),
                          {"run", "--resume", "run", "--no-live", "--no-report", "--unattended"});
    }
    std::vector<rt::lab::PointRecord> of(const std::string& test) {
        std::vector<rt::lab::PointRecord> out;
        for (const auto& point : record().points) {
            if (point.test == test && point.standing == rt::lab::Standing::valid) out.push_back(point);
        }
        return out;
    }
    // Only the tests that find the tag and count its packets.
    static std::vector<std::string> counting() {
        return {"--only", "discovery", "--only", "packet-errors", "--only", "sensitivity"};
    }
};

std::string text_of(const rt::lab::RunRecord& run, const std::string& kind) {
    std::string out;
    for (const auto& event : run.events) {
        if (event.kind == kind) out += event.text + "\n";
    }
    return out;
}

}  // namespace

TEST_CASE("a tag is found among others, counted by what it allows, and measured on the air") {
    Tag tag;
    const Said said = tag.run();
    CHECK_MESSAGE(said.code == 1, said.err);
    // The level filter leaves its twin on the quay out.
    const auto found = tag.of("discovery");
    REQUIRE(found.size() == 1);
    CHECK(result(found[0], "devices") == 3);
    CHECK(result(found[0], "power") == -41);
    // Scan requests: one device of the three answers them.
    const auto errors = tag.of("packet-errors");
    REQUIRE(errors.size() == 15);
    for (const auto& point : errors) {
        CHECK(contains(point.label, "device=c0:5e:77:20:00:02"));
        CHECK(std::any_of(point.notes.begin(), point.notes.end(),
                          [](const auto& note) { return note == "counted by: scan requests"; }));
    }
    // 30.8 % are lost where 99^(x / 1.6 dB) = 0.692 / 0.308.
    const double half = -94.6 + 1.6 * std::log(0.692 / 0.308) / std::log(99);
    const auto sensitivity = tag.of("sensitivity");
    REQUIRE(sensitivity.size() == 1);
    CHECK(result(sensitivity[0], "sensitivity") == within(0.7, half));  // straight lines over steps of 2 dB
    CHECK(contains(sensitivity[0].label, "device=c0:5e:77:20:00:02"));
    const auto bursts = tag.of("advertising");
    REQUIRE(bursts.size() == 1);
    CHECK(result(bursts[0], "power_37") == within(0.2, 3.2));
    CHECK(result(bursts[0], "power_39") == within(0.2, -0.4));
    CHECK(bursts[0].findings.at(1).verdict == Verdict::fail);
    const auto modulation = tag.of("modulation");
    REQUIRE(modulation.size() == 3);
    for (const auto& point : modulation) {
        CHECK(result(point, "delta_f1_avg") == within(1e3, 247e3));
        CHECK(result(point, "preamble_offset") == within(1.5e3, 3e-6 * 2.44e9));
    }
    // The carrier creeps by 31 kHz over a packet at the highest channel, from the preamble to the last group.
    CHECK(result(modulation[2], "drift") == within(3e3, 31e3 * 0.9));
    CHECK(result(modulation[0], "drift") == within(1e3, 6e3 * 0.9));
    CHECK(contains(rare_tally(tag.folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
}

TEST_CASE("a device that allows connections is counted over one; one that allows neither gets no verdict") {
    for (const auto& [address, method, code] :
         {std::tuple{"e1:40:77:0c:5a:22", "connection", 0}, {"00:1b:5e:00:21:9c", "", 4}}) {
        Tag tag;
        tag.replace(tag.campaign, "where = { method = \"scan requests\" }",
                    std::string("where = { address = \"") + address + "\" }");
        const Said said = tag.run({"--only", "discovery", "--only", "packet-errors"});
        CHECK_MESSAGE(said.code == code, said.err);
        const auto errors = tag.of("packet-errors");
        REQUIRE(errors.size() == 15);
        if (code == 0) {
            CHECK(result(errors[0], "packet_error_ratio") == within(1, 1));
            CHECK(contains(rt::lab::read_file(tag.folder / "run" / errors[0].capture.file),
                           "# method: connection"));
        } else {
            CHECK(contains(errors[0].invalid, "takes neither scan requests nor connections"));
            CHECK(errors[0].findings.at(0).verdict == Verdict::none);
        }
    }
}

TEST_CASE(
    "the operator chooses among devices; what was chosen, and what was concluded, holds when carried on") {
    Tag tag;
    tag.replace(tag.campaign, "where = { method = \"scan requests\" }", "where = { kind = \"random\" }");
    tag.write();
    std::vector<std::string> arguments{"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"};
    for (const auto& word : Tag::counting()) arguments.push_back(word);
    const Said said = at_terminal(tag.folder.path(), arguments, {{"2\n", "+VALUE adds one"}});
    CHECK_MESSAGE(said.code == 0, said.out);
    CHECK(contains(said.out, "1) c0:5e:77:20:00:02, 2) e1:40:77:0c:5a:22"));
    CHECK(tag.of("packet-errors").size() == 15);
    REQUIRE(tag.of("sensitivity").size() == 1);
    CHECK(contains(tag.of("sensitivity")[0].label, "e1:40:77:0c:5a:22"));
    // One point once more: the conclusion is drawn anew from it, of the same device.
    CHECK(rare_tally(tag.folder.path(),
                     {"run", "--resume", "run", "--redo", "5", "--no-live", "--no-report", "--unattended"})
              .code == 0);
    const auto after = tag.record();
    CHECK(
        std::any_of(after.points.begin(), after.points.end(), [](const auto& p) { return p.attempt == 2; }));
    CHECK(tag.of("packet-errors").size() == 15);
    CHECK(contains(tag.of("sensitivity").back().label, "e1:40:77:0c:5a:22"));
    CHECK(text_of(after, "chosen") ==
          text_of(after, "chosen").substr(0, text_of(after, "chosen").find('\n') + 1));
}

TEST_CASE(
    "nobody around, a device that has gone, and a tester that finds nothing give no verdict and say why") {
    Tag silent;
    // All below the filter: nothing to count.
    silent.replace(silent.campaign, "least_level = \"-70 dBm\"", "least_level = \"-20 dBm\"");
    Said said = silent.run(Tag::counting());
    CHECK(said.code == 4);
    CHECK(contains(silent.of("discovery").at(0).invalid, "no device was heard"));
    CHECK(silent.of("packet-errors").empty());
    // Gone: it stops advertising once it was found.
    Tag gone;
    gone.replace(gone.campaign, "settings = { \"tester.method\" = \"AUTO\" }",
                 "settings = { \"tester.method\" = \"AUTO\", \"unit.mode\" = \"test\" }");
    said = gone.run(Tag::counting());
    CHECK(said.code == 4);
    const auto errors = gone.of("packet-errors");
    REQUIRE(errors.size() == 15);
    CHECK(contains(errors[0].invalid, "no such device answers"));
    CHECK(errors[0].findings.at(0).verdict == Verdict::none);
    REQUIRE(gone.of("sensitivity").size() == 1);
    CHECK(contains(gone.of("sensitivity")[0].invalid, "no point is valid"));
    // A conclusion that looks for what the points do not have ends no run.
    Tag odd;
    odd.replace(odd.campaign, ", transmit_level = \"-30 dBm\"", "");
    said = odd.run(Tag::counting());
    CHECK(said.code == 4);
    REQUIRE(odd.of("sensitivity").size() == 1);
    CHECK(contains(odd.of("sensitivity")[0].invalid, "no result \"received_level\""));
    // A counter that is none of links.
    Tag other;
    other.replace(other.bench, "dialect = \"scpi-link-tester\"", "dialect = \"scpi-counter\"");
    said = other.tell({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "tester"));
}

TEST_CASE("lists of devices as files: read, refused with row and column, and judged") {
    TestFolder folder;
    const std::string head = "address,kind,name,allows,level [dBm]\n";
    folder.write("good.csv", head +
                                 "c0:5e:77:20:00:02,random,\"Tag, small\",\"connect, "
                                 "scan\",-41\n00:1b:5e:00:21:9c,public,,neither,\n");
    const Said good = rare_tally(folder.path(), {"measure", "radio.devices", "good.csv", "--set",
                                                 "device=Tag, small", "--limit", "power >= -50 dBm"});
    CHECK_MESSAGE(good.code == 0, good.err);
    CHECK(contains(good.out, "-41"));
    const auto refused = [&](const std::string& text, const std::string& why) {
        folder.write("bad.csv", text);
        const Said said = rare_tally(folder.path(), {"measure", "radio.devices", "bad.csv"});
        CHECK(said.code == 2);
        CHECK_MESSAGE(contains(said.err, why), said.err);
    };
    refused(head + "c0:5e,random,,scan,-41\n", "\"c0:5e\" is none");
    refused(head + "c0:5e:77:20:00:02,random,,often,-41\n", "\"often\" is not understood");
    refused(head + "c0:5e:77:20:00:02,odd,,scan,-41\n", "write public or random");
    refused("address,colour,allows\nc0:5e:77:20:00:02,red,scan\n", "\"colour\" is not known");
    refused("address,allows,level\nc0:5e:77:20:00:02,scan,-41\n", "write level [dBm]");
    refused(head + "c0:5e:77:20:00:02,random,,scan,-41\nc0:5e:77:20:00:02,random,,scan,-42\n",
            "stands there twice");
}
