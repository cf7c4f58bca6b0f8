// The same for many runs: several at once, carried on where they stopped, one summary.
#include <doctest/doctest.h>

#include <cstdlib>

#include "lab/many/cluster.hpp"
#include "tests/cli/stand.hpp"

namespace {

struct Many {
    Stand stand;
    Many() {
        stand.tests = Stand::scanning("scan", "[[test.judge]]\nrule = \"own/loud\"\n");
        stand.write();
        for (const char* name : {"a", "b", "deep/c"})
            REQUIRE(tell({"run", "campaign.toml", "--out", std::string("kept/") + name, "--no-live",
                          "--no-report"})
                        .code == 0);
    }
    // scripts/cluster-test has all of these done by a cluster.
    Said tell(std::vector<std::string> arguments) const {
        if (arguments.front() == "each" && std::getenv("RT_CLUSTER"))
            arguments.insert(arguments.end(), {"--cluster", ""});
        return rare_tally(stand.folder.path(), std::move(arguments));
    }
};

}  // namespace

TEST_CASE("verified, each with what it said; what was done is not done again until the run changes") {
    const Many many;
    const Said said = many.tell({"each", "verify", "kept", "--out", "out", "--jobs", "2"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(said.out, "3 runs: 3 passed, 0 failed, 0 without verdict, 0 in trouble"));
    for (const char* name : {"a", "b", "c"})
        CHECK(contains(rt::lab::read_file(many.stand.folder / "out" / (std::string(name) + ".txt")),
                       "all as they were written"));
    CHECK(contains(many.tell({"each", "verify", "kept", "--out", "out"}).out,
                   "3 runs, 3 of them done before: 3 passed"));
    // One is amended: it is looked at again.
    CHECK(many.tell({"report", "kept/b", "--set", "note=x", "--figures", "0"}).code == 0);
    CHECK(contains(many.tell({"each", "verify", "kept", "--out", "out"}).out, "2 of them done before"));
    // One is altered, and told with where its words are.
    alter(many.stand.folder / "kept/a", "UPDATE result SET value = value - 10");
    const Said altered = many.tell({"each", "verify", "kept", "--out", "again"});
    CHECK(altered.code == 1);
    CHECK(contains(altered.out, "exit code 1  kept/a  see again/a.txt.err"));
    CHECK(contains(altered.out, "2 passed, 1 failed"));
}

TEST_CASE("judged again by other limits: one summary of what changed, by rule and unit") {
    const Many many;
    std::string stricter = rt::lab::read_file(many.stand.folder / "own.toml");
    stricter.replace(stricter.find("id = \"own\""), 10, "id = \"new\"");
    stricter.replace(stricter.find("60 dBuV"), 7, "45 dBuV");
    many.stand.folder.write("new.toml", stricter);
    const Said said = many.tell(
        {"each", "judge", "kept", "--out", "out", "--options", "--rulebook new.toml --instead own=new"});
    CHECK_MESSAGE(said.code == 1, said.err);
    CHECK(contains(said.out, "3 findings judged again, 3 differ, 3 in their verdict"));
    CHECK(contains(said.out, "rule  own/loud  3"));
    CHECK(contains(said.out, "unit  Skerry-2  3"));
    CHECK(contains(said.out, "0 passed, 3 failed"));
    // Other options are other work; the same ones are done.
    CHECK(contains(many.tell({"each", "judge", "kept", "--out", "out"}).out,
                   "3 findings judged again, 0 differ"));
    CHECK_FALSE(contains(many.tell({"each", "judge", "kept", "--out", "out", "--options", "--captures"}).out,
                         "done before"));
}

TEST_CASE("trouble with one run is told and stops no other; wrong calls get a line") {
    const Many many;
    std::filesystem::remove_all(many.stand.folder / "kept/b/captures");
    const Said said = many.tell({"each", "report", "kept", "--out", "out", "--options", "--figures 0"});
    CHECK(std::filesystem::exists(many.stand.folder / "kept/a/report/report.html"));
    CHECK(std::filesystem::exists(many.stand.folder / "kept/deep/c/report/report.html"));
    CHECK(contains(said.out, "3 runs: "));
    CHECK(many.tell({"each", "verify", "nowhere"}).code == 2);
    CHECK(many.tell({"each", "sweep", "kept"}).code == 2);
    CHECK(contains(many.tell({"each", "judge", "kept", "--options", "\"open"}).err,
                   "a quotation mark is not closed"));
    CHECK(many.tell({"each", "verify", "kept", "--jobs", "0"}).code == 2);
}

namespace {

void make_program(const std::filesystem::path& file) {
    std::filesystem::permissions(file, std::filesystem::perms::owner_all);
}

// Stand-ins for a cluster's programs: jobs run one after the other, here. Those of `lost` (numbers, with
// spaces around) are not started the first time.
void stand_in(const TestFolder& folder, const std::string& lost) {
    folder.write("bin/sbatch",
                 "#!/bin/bash\nfor word; do case $word in --array=1-*) count=${word#--array=1-} ;; esac; "
                 "script=$word; done\n"
                 "echo \"$@\" >>calls\ntimes=$(wc -l <calls)\n(for i in $(seq $count); do\n"
                 "[ \"$times\" = 1 ] && [[ ' " +
                     lost +
                     " ' == *\" $i \"* ]] && continue\n"
                     "SLURM_ARRAY_TASK_ID=$i sh \"$script\" || echo \"$i $?\" >>ended; done; rm running) "
                     ">/dev/null 2>&1 &\n"
                     "touch running; echo \"$times;here\"\n");
    folder.write("bin/squeue",
                 "#!/bin/bash\n[ -e running ] && { echo RUNNING; exit 0; }\n"
                 "echo 'slurm_load_jobs error: Invalid job id specified' >&2; exit 1\n");
    for (const char* name : {"bin/sbatch", "bin/squeue"}) make_program(folder / name);
}

}  // namespace

TEST_CASE("on a cluster the same comes of it; what is lost with its job is sent again, alone") {
    const Many many;
    const auto& folder = many.stand.folder;
    stand_in(folder, "2");
    const std::string path = (folder / "bin").string() + ":" + std::getenv("PATH");
    const auto cluster = [&](std::vector<std::string> arguments) {
        return run_in(folder.path(), "/usr/bin/env", [&] {
            std::vector<std::string> all{"PATH=" + path, binary()};
            all.insert(all.end(), arguments.begin(), arguments.end());
            return all;
        }());
    };
    const Said said = cluster({"each", "verify", "kept", "--out", "out", "--cluster",
                               "--partition=\"night shift\"", "--jobs", "3"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(said.out, "3 runs: 3 passed, 0 failed, 0 without verdict, 0 in trouble"));
    CHECK(contains(said.err, "1 run was lost with its job, and is sent again"));
    for (const char* name : {"a", "b", "c"})
        CHECK(contains(rt::lab::read_file(folder / "out" / (std::string(name) + ".txt")),
                       "all as they were written"));
    const std::string calls = rt::lab::read_file(folder / "calls");
    CHECK(contains(calls, "--partition=night shift"));
    CHECK(contains(calls, "--array=1-3"));
    CHECK(contains(calls, "--array=1-1"));
    CHECK(lines(calls) == 2);
    CHECK(contains(cluster({"each", "verify", "kept", "--out", "out", "--cluster", ""}).out,
                   "3 of them done before"));
    CHECK(lines(rt::lab::read_file(folder / "calls")) == 2);
    // What was done here need not be done there, and the other way round.
    CHECK(contains(many.tell({"each", "verify", "kept", "--out", "out"}).out, "3 of them done before"));
    // A share that is no share, and a cluster that is none.
    folder.write("odd.tsv", "a\nb\nc\nd\ne\n");
    CHECK(many.tell({"each", "share", "odd.tsv"}).code == 2);
    folder.write("bin/sbatch", "#!/bin/bash\necho 'sbatch: error: no such partition' >&2; exit 1\n");
    make_program(folder / "bin/sbatch");
    const Said refused = cluster({"each", "verify", "kept", "--out", "other", "--cluster", ""});
    CHECK(refused.code == 3);
    CHECK(contains(refused.err, "the cluster takes no work"));
    CHECK(contains(refused.err, "no such partition"));
}

TEST_CASE("shares cost about the same, and none is empty") {
    using rt::lab::shares_of;
    CHECK(shares_of({}, 4).empty());
    CHECK(shares_of({1, 1}, 4).size() == 2);
    const std::vector<double> costs{90, 10, 20, 30, 40, 50, 5, 5, 0, 0};
    const auto shares = shares_of(costs, 3);
    REQUIRE(shares.size() == 3);
    std::vector<bool> seen(costs.size());
    for (const auto& share : shares) {
        double sum = 0;
        for (const auto i : share) {
            CHECK_FALSE(seen[i]);
            seen[i] = true, sum += costs[i];
        }
        CHECK(sum >= 75);
        CHECK(sum <= 95);
    }
    CHECK(std::count(seen.begin(), seen.end(), true) == 10);
}
