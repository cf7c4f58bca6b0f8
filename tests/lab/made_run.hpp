// Run folders with results of a known size, made without instruments.
#pragma once

#include <string>
#include <vector>

#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/run_data.hpp"
#include "lab/tally/tally.hpp"
#include "tests/lab/facts.hpp"

struct MadeTest {
    std::string name, serial;
    std::vector<double> margins;  // of its points, in dB; "loss" of each is the same number
};

// Each test a sweep over level = 0, 1, 2 dBm; each point judged by made/loss, at least 0 dB.
inline void make_counted_run(const std::filesystem::path& folder, const std::vector<MadeTest>& tests) {
    rt::lab::RunRecord run;
    put_facts(run, {{"title", "made"},
                    {"customer", ""},
                    {"unit.model", "Skerry-2"},
                    {"unit.serial", tests.front().serial},
                    {"state", "complete"},
                    {"started", rt::lab::utc_now()}});
    for (const auto& test : tests)
        run.tests.push_back({test.name, test.name, "path.loss", "power-meter", "", test.margins.size()});
    const std::string book =
        "[rulebook]\nid = \"made\"\ntitle = \"t\"\nstandard = \"Made\"\nedition = \"1\"\nbasis = \"b\"\n"
        "[[rule]]\nid = \"loss\"\ntitle = \"Loss\"\nclause = \"4.1\"\nquantity = \"loss\"\napplies_to = "
        "\"loss\"\n"
        "kind = \"bound\"\nunit = \"dB\"\nmin = \"0 dB\"\nconfidence = \"sure\"\n";
    rt::lab::make_folder(folder / "inputs");
    rt::lab::write_file(folder / "inputs/made.toml", book);
    run.files.push_back({"inputs/made.toml", "rulebook", rt::lab::sha256(book), ""});
    rt::lab::Tally tally = rt::lab::Tally::create(folder, [&] { return run; });
    std::size_t position = 0;
    for (const auto& test : tests) {
        for (std::size_t i = 0; i < test.margins.size(); ++i) {
            rt::lab::PointRecord point;
            point.position = ++position;
            point.id = rt::lab::sha256(test.name + std::to_string(i)).substr(0, 16);
            point.test = test.name;
            point.label = "level=" + std::to_string(i) + " dBm";
            point.axes = {{"level", std::to_string(i) + " dBm"}};
            point.started = point.ended = rt::lab::utc_now();
            point.capture.kind = "power";
            point.results.push_back({"loss", {test.margins[i], rt::Unit::db}, {}});
            rt::Finding finding;
            finding.rule = "made/loss";
            finding.title = "Loss";
            finding.clause = "4.1";
            finding.unit = rt::Unit::db;
            finding.limit = 0;
            finding.value = finding.margin = test.margins[i];
            finding.verdict = test.margins[i] < 0 ? rt::Verdict::fail : rt::Verdict::pass;
            point.findings.push_back(finding);
            tally.add(point);
        }
    }
}
