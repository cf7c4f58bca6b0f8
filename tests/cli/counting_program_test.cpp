// Errors counted by a program of the user's: the shipped examples, early ends, and whatever such a program
// does wrong.
#include <doctest/doctest.h>

#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/folder.hpp"

using rt::Verdict;

namespace {

struct Counted {
    TestFolder folder;
    std::string parameters = "packets = \"2000\"", limit = "1e-3", applies = "packet_error_ratio";

    // A program of these lines.
    void program(const std::string& text) {
        folder.write("count", text);
        std::filesystem::permissions(folder / "count", std::filesystem::perms::owner_all);
    }
    void example(const char* name) {
        program(rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "demo/counting" / name));
    }
    // One in the shell: what it answers to start, and to everything else.
    void answers(const std::string& start, const std::string& others) {
        program("#!/bin/sh\nwhile read -r line; do case $line in\n*'\"start\"'*) " + start + ";;\n*) " +
                others + ";;\nesac; done\n");
    }
    void write() {
        folder.write(
            "bench.toml",
            "[bench]\nname = \"B\"\n[[instrument]]\nrole = \"errors\"\nname = \"N\"\naddress = \"here\"\n"
            "dialect = \"scpi-counter\"\nprogram = \"count\"\ntimeout = \"1 s\"\n");
        folder.write("limits.toml",
                     "[rulebook]\nid = \"r\"\ntitle = \"R\"\nstandard = \"S\"\nedition = \"1\"\n"
                     "basis = \"made up\"\n[[rule]]\nid = \"most\"\ntitle = \"T\"\nclause = \"1\"\n"
                     "quantity = \"Q\"\napplies_to = \"" +
                         applies + "\"\nunit = \"" + (applies[0] == 'p' ? "%" : "") +
                         "\"\nkind = \"bound\"\nmax = \"" + (applies[0] == 'p' ? "0.1 %" : limit.c_str()) +
                         "\"\nconfidence = \"sure\"\n");
        folder.write(
            "campaign.toml",
            "[campaign]\ntitle = \"T\"\noperator = \"O\"\nbench = \"bench.toml\"\nrulebooks = "
            "[\"limits.toml\"]\n[unit]\nmaker = \"M\"\nmodel = \"U\"\nserial = \"1\"\n[[test]]\nname = "
            "\"errors\"\nprocedure = \"receiver.error-rate\"\ninstrument = \"errors\"\nparameters = { " +
                parameters + " }\n[[test.judge]]\nrule = \"r/most\"\n");
    }
    rt::lab::PointRecord point() {
        write();
        const Said said = rare_tally(folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live",
                                                     "--no-report", "--unattended"});
        const auto run = rt::lab::Tally::open(folder / "run").read();
        REQUIRE_MESSAGE(run.points.size() == 1, said.err);
        return run.points[0];
    }
};

double result(const rt::lab::PointRecord& point, const char* name) {
    const auto* found = point.find_result(name);
    REQUIRE_MESSAGE(found, name);
    return found->value.value;
}

}  // namespace

TEST_CASE("the shipped counters count: frames in Python, bits in the shell") {
    Counted python;
    python.example("count.py");
    const auto point = python.point();
    CHECK(result(point, "packets_sent") >= 2000);
    // One bit in ten million of 10,000 each: two frames in 2,000, Poisson; never as many as 20.
    CHECK(result(point, "bit_errors") < 20);
    CHECK(result(point, "bits") == about(1e4 * result(point, "packets_sent")));
    CHECK(point.findings.at(0).verdict != Verdict::none);

    Counted shell;
    shell.example("count.sh");
    shell.folder.write("counts.txt", "70000 3 true\n");
    ::setenv("COUNTS", (shell.folder / "counts.txt").c_str(), 1);
    shell.parameters = "packets = \"5000\", decides = \"bits\"";
    shell.applies = "bit_error_ratio";
    // Nothing is added while it counts.
    const auto still = shell.point();
    ::unsetenv("COUNTS");
    CHECK(still.findings.at(0).verdict == Verdict::none);
    CHECK_MESSAGE(still.findings.at(0).reason.find("counts nothing more") != std::string::npos,
                  still.findings.at(0).reason);
}

TEST_CASE("a program that counts bits alone: all of them, and decided early") {
    const std::string grows =
        "n=$((n + 400000)); echo \"{\\\"counting\\\":1,\\\"bits\\\":$n,\\\"bit_errors\\\":0,"
        "\\\"locked\\\":true}\"";
    const std::string start = "n=0; echo '{\"counting\":1,\"started\":true}'";
    Counted all;
    all.answers(start, grows);
    all.applies = "bit_error_ratio";
    all.parameters = "packets = \"1000000\", decides = \"bits\"";
    const auto point = all.point();
    CHECK(result(point, "bits") >= 1e6);
    CHECK(result(point, "bit_error_ratio") == 0);
    CHECK(point.findings.at(0).verdict == Verdict::pass);

    Counted early;
    early.answers(start, grows);
    early.applies = "bit_error_ratio";
    early.parameters =
        "packets = \"1000000000\", decides = \"bits\", stop = \"bounds\", at_once = \"400000\"";
    const auto decided = early.point();
    CHECK(decided.findings.at(0).verdict == Verdict::pass);
    CHECK(result(decided, "bits") < 1e7);
    CHECK(result(decided, "packets_saved") > 9e8);
}

TEST_CASE("whatever a counting program does wrong is NONE with its reason, never zero errors") {
    const std::string started = "echo '{\"counting\":1,\"started\":true}'";
    const std::string counts = "echo '{\"counting\":1,\"frames\":2000,\"frame_errors\":0,\"locked\":true}'";
    struct Wrong {
        std::string start, others, words;
    };
    for (const auto& wrong : {
             Wrong{"exit 3", counts, "has ended when it was to start"},
             Wrong{"echo '{\"counting\":2,\"started\":true}'", counts, "another version of the protocol"},
             Wrong{"echo ready", counts, "was expected"},
             Wrong{"sleep 3", counts, "does not answer start within"},
             Wrong{started, "exit 0", "has ended when it was to read"},
             Wrong{started, "sleep 3", "does not answer read within"},
             Wrong{started, "echo nonsense", "an object with"},
             Wrong{started, "echo '{\"counting\":1,\"frames\":2000,\"frame_errors\":0}'",
                   "\\\"locked\\\" is missing"},
             Wrong{started, "echo '{\"counting\":1,\"frames\":-1,\"locked\":true}'", "is no whole number"},
             Wrong{started, "echo '{\"counting\":1,\"frames\":2000,\"frame_errors\":2001,\"locked\":true}'",
                   "more errors than were counted"},
             Wrong{started, "echo '{\"counting\":1,\"locked\":true}'", "neither frames nor bits"},
             Wrong{started, "echo '{\"counting\":1,\"frames\":2000,\"lost\":7,\"locked\":true}'",
                   "is not known"},
             Wrong{started, "echo '{\"counting\":1,\"frames\":2000,\"frame_errors\":0,\"locked\":false}'",
                   "loop-back lost after 2000 frames"},
             Wrong{started + "; n=3000",
                   "n=$((n - 1500)); echo \"{\\\"counting\\\":1,\\\"frames\\\":$n,\\\"locked\\\":true}\"",
                   "fewer than before"},
         }) {
        CAPTURE(wrong.words);
        Counted counted;
        counted.answers(wrong.start, wrong.others);
        const auto point = counted.point();
        CHECK(point.findings.at(0).verdict == Verdict::none);
        std::string reason = point.findings.at(0).reason, words = wrong.words;
        std::erase(words, '\\');
        std::erase(reason, '\\');
        CHECK_MESSAGE(reason.find(words) != std::string::npos, reason);
    }
    Counted missing;
    missing.program("not a program\n");
    CHECK(missing.point().findings.at(0).verdict == Verdict::none);
}

TEST_CASE("a bench says where a counting program belongs") {
    Counted counted;
    counted.write();
    const auto refused = [&](const std::string& words) {
        const Said said = rare_tally(counted.folder.path(), {"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK_MESSAGE(said.err.find(words) != std::string::npos, said.err);
    };
    refused("there is no file");
    counted.example("count.py");
    std::string bench = rt::lab::read_file(counted.folder / "bench.toml");
    bench.replace(bench.find("\"here\""), 6, "\"tcp://127.0.0.1:9\"");
    counted.folder.write("bench.toml", bench);
    refused("goes with a counter at the address");
}
