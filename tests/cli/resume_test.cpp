// Runs that are stopped, killed and carried on.
#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <map>
#include <random>
#include <thread>

#include "core/base/error.hpp"
#include "lab/tally/tally.hpp"
#include "tests/cli/world.hpp"

namespace {

using std::chrono::milliseconds;

// Many quick points.
World many(int values) {
    World world;
    world.sweep = "[[test.sweep]]\naxis = \"state\"\nsets = [\"unit\"]\nrange = { from = \"1 V\", to = \"" +
                  std::to_string(values) +
                  " V\", step = \"1 V\" }\n[[test.sweep]]\naxis = \"detector\"\n"
                  "values = [\"peak\", \"sample\"]\nsets = [\"parameter.detector\"]\n";
    world.judge =
        "[[test.judge]]\nrule = \"cispr-32/mains-b-qp\"\nallow_partial = true\nwhen = { detector = \"peak\" "
        "}\n";
    return world;
}

// What a run found, by the point's id: everything but the times.
std::map<std::string, std::string> findings(const std::filesystem::path& run) {
    std::map<std::string, std::string> out;
    for (const auto& p : rt::lab::Tally::open(run).read().points) {
        std::string text = std::to_string(p.position) + p.label + p.capture.file + p.capture.sha256;
        for (const auto& f : p.findings)
            text += std::string(rt::name(f.verdict)) + std::to_string(f.margin.value_or(999)) + f.reason;
        CHECK(out.emplace(p.id, text).second);  // no point twice
        CHECK(rt::lab::sha256(rt::lab::read_file(run / p.capture.file)) == p.capture.sha256);
    }
    return out;
}

// Until the run has kept its first points; a loaded machine may take a while.
void wait_until_measuring(const std::filesystem::path& run) {
    for (int i = 0; i < 600; ++i) {
        std::this_thread::sleep_for(milliseconds(50));
        try {
            if (rt::lab::Tally::open(run).read().points.size() >= 2) return;
        } catch (const rt::Error&) {
            continue;  // it has not begun
        }
    }
    FAIL("the run does not begin");
}

}  // namespace

TEST_CASE("killed again and again, a run carried on finds what an undisturbed one finds") {
    const World world = many(150);
    world.write();
    CHECK(rare_tally(world.folder.path(), {"run", "campaign.toml", "--out", "calm", "-q", "--no-report"})
              .code == 0);
    const auto expected = findings(world.folder / "calm");
    REQUIRE(expected.size() == 300);

    std::mt19937 random(11);
    std::vector<std::string> call{"run", "campaign.toml", "--out", "rough", "-q", "--no-report"};
    int kills = 0, code = 128, after_the_first = 0;
    std::ptrdiff_t before = 0;
    const auto captures = [&] {
        std::error_code error;
        const std::filesystem::directory_iterator all(world.folder / "rough/captures", error), end;
        return error ? 0 : std::distance(all, end);
    };
    for (; kills < 40; ++kills) {
        const pid_t child = start_in(world.folder.path(), binary(), call);
        // One point more than before at least: a kill that comes before the first proves nothing.
        for (int waited = 0; waited < 10000 && captures() <= before; ++waited)
            std::this_thread::sleep_for(milliseconds(2));
        std::this_thread::sleep_for(milliseconds(random() % 100));
        ::kill(child, SIGKILL);
        code = wait_for(child);
        if (code != 128) break;  // it was quicker
        try {
            rt::lab::Tally::open(world.folder / "rough");
            call = {"run", "--resume", "rough", "-q", "--no-report"};
            ++after_the_first;
            before = captures();
        } catch (const rt::Error&) {
            continue;  // killed before it had begun: the same call again
        }
    }
    if (code == 128) code = rare_tally(world.folder.path(), call).code;
    CHECK(after_the_first >= 2);
    CHECK(code == 0);
    CHECK(findings(world.folder / "rough") == expected);
    CHECK(rt::lab::Tally::open(world.folder / "rough").read().fact("state") == "complete");
}

TEST_CASE("a run stopped by the operator is carried on from its own copies") {
    World world = many(100);
    world.simulation = "[simulation]\nunit = \"unit.toml\"\n";
    world.test.replace(world.test.find("100 us"), 6, "10 ms");
    world.write();
    const pid_t child = start_in(world.folder.path(), binary(), {"run", "campaign.toml", "--out", "run"});
    wait_until_measuring(world.folder / "run");
    ::kill(child, SIGINT);
    CHECK(wait_for(child) == 4);  // incomplete
    const auto stopped = rt::lab::Tally::open(world.folder / "run").read();
    CHECK(stopped.fact("state") == "stopped");
    CHECK(stopped.points.size() >= 1);
    CHECK(stopped.points.size() < 200);
    CHECK(std::filesystem::exists(world.folder / "run/report/report.html"));

    for (const char* gone : {"campaign.toml", "bench.toml", "unit.toml"})
        std::filesystem::remove(world.folder / gone);
    std::filesystem::rename(world.folder / "run", world.folder / "moved");
    const Said said = rare_tally(world.folder.path(), {"run", "--resume", "moved"});
    CHECK(said.code == 0);
    const auto whole = rt::lab::Tally::open(world.folder / "moved").read();
    CHECK(whole.points.size() == 200);
    CHECK(whole.fact("state") == "complete");
    REQUIRE(whole.events.size() == 1);
    CHECK(whole.events[0].text.starts_with("after " + std::to_string(stopped.points.size()) +
                                           " of 200 points; the chain ended with entry "));
    CHECK(contains(said.out, "run complete: 100 PASS"));  // the earlier part is counted
    for (std::size_t i = 0; i < whole.points.size(); ++i) CHECK(whole.points[i].position == i + 1);

    // Once more: nothing is left to do.
    const std::string before = whole.fact("started");
    CHECK(rare_tally(world.folder.path(), {"run", "--resume", "moved", "-q"}).code == 0);
    CHECK(rt::lab::Tally::open(world.folder / "moved").read().points.size() == 200);
    CHECK(rt::lab::Tally::open(world.folder / "moved").read().fact("started") == before);
}

TEST_CASE("what cannot be carried on is refused in one line") {
    World world;
    CHECK(world.run().code == 0);
    const auto resume = [&](std::vector<std::string> rest) {
        rest.insert(rest.begin(), {"run", "--resume"});
        const Said said = rare_tally(world.folder.path(), rest);
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(contains(resume({"nowhere"}), "is no run folder"));
    CHECK(contains(resume({"run", "--out", "other"}), "--resume takes everything from the run folder"));
    CHECK(contains(resume({"run", "campaign.toml"}),
                   "run needs one campaign file, or --resume and a run folder"));
    const std::string campaign = rt::lab::read_file(world.folder / "run/inputs/campaign.toml");
    rt::lab::write_file(world.folder / "run/inputs/campaign.toml", campaign + "\n# later thought\n");
    CHECK(contains(resume({"run"}), "run/inputs/campaign.toml: was altered"));
}

TEST_CASE("two processes never write one run") {
    World world = many(100);
    world.simulation = "[simulation]\nunit = \"unit.toml\"\n";
    world.test.replace(world.test.find("100 us"), 6, "10 ms");
    world.write();
    const pid_t child =
        start_in(world.folder.path(), binary(), {"run", "campaign.toml", "--out", "run", "--no-report"});
    wait_until_measuring(world.folder / "run");
    const Said second = rare_tally(world.folder.path(), {"run", "--resume", "run"});
    CHECK(second.code == 2);
    CHECK(contains(second.err, "another process is writing this run: wait for it or stop it"));
    CHECK(rare_tally(world.folder.path(), {"run", "campaign.toml", "--out", "run"}).code == 2);
    ::kill(child, SIGTERM);
    CHECK(wait_for(child) == 4);
    CHECK(rare_tally(world.folder.path(), {"run", "--resume", "run", "-q", "--no-report"}).code == 0);
}
