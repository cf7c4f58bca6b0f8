#include <fmt/core.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/comparison.hpp"
#include "lab/report/json_number.hpp"

namespace rt::cli {
namespace {

using Json = nlohmann::ordered_json;

std::string document(const std::vector<ComparedFinding>& all, const std::vector<std::string>& names) {
    Json findings = Json::array();
    for (const auto& c : all) {
        Json each = Json::array();
        for (const Finding* f : c.findings) {
            if (!f) {
                each.push_back(nullptr);
                continue;
            }
            each.push_back({{"verdict", name(f->verdict)},
                            {"value", json_number(f->value)},
                            {"margin", json_number(f->margin)}});
        }
        const Repeatability spread = c.values();
        findings.push_back({{"test", c.test},
                            {"point", c.point},
                            {"rule", c.rule},
                            {"unit", symbol(c.unit())},
                            {"runs", each},
                            {"margin_change", json_number(c.change())},
                            {"mean", spread.mean},
                            {"deviation", spread.deviation},
                            {"range", spread.range},
                            {"verdicts_differ", c.verdicts_differ()}});
    }
    return Json{{"runs", names}, {"findings", findings}}.dump(2, ' ', false, Json::error_handler_t::replace) +
           "\n";
}

// Verdict changes first, then by how much the margin changed.
void order_by_change(std::vector<ComparedFinding>& all) {
    std::stable_sort(all.begin(), all.end(), [](const ComparedFinding& a, const ComparedFinding& b) {
        if (a.verdicts_differ() != b.verdicts_differ()) return a.verdicts_differ();
        const auto size = [](const ComparedFinding& c) {
            const double change = c.change();
            return std::isfinite(change) ? std::abs(change) : -1.0;
        };
        return size(a) > size(b);
    });
}

std::string told(const Finding* f) {
    if (!f) return "not there";
    return std::string(name(f->verdict)) + (f->value ? " " + format({*f->value, f->unit}, 5) : "");
}

std::string change_text(const ComparedFinding& c) {
    const double change = c.change();
    if (!std::isfinite(change)) return "-";
    Finding f;
    f.unit = c.unit(), f.margin = change;
    return (change > 0 ? "+" : "") + margin_text(f);
}

void draw(const Call& call, const std::vector<ComparedFinding>& all, const std::vector<const RunData*>& runs,
          const std::vector<std::string>& names) {
    const std::filesystem::path folder = call.text("figures");
    make_folder(folder);
    constexpr std::size_t most = 24;
    std::size_t drawn = 0;
    Plotter plotter;
    for (const auto& compared : all) {
        if (drawn == most) break;
        const auto figure = overlay_figure(compared, runs, names);
        if (!figure) continue;
        char order[8];
        std::snprintf(order, sizeof order, "%02zu-", ++drawn);
        plotter.draw(*figure, folder / (order + slug(compared.test + "-" + compared.point) + ".svg"));
    }
    plotter.finish();
    call.console.out("drew " + std::to_string(drawn) + " figures in " + folder.string());
}

ExitCode perform_compare(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() < 2)
        fail_input("compare needs at least two run folders: rare-tally compare BEFORE AFTER");
    if (folders.size() > 20) fail_input("compare takes at most 20 runs");
    const OpenRuns opened({folders.begin(), folders.end()});
    for (const auto& folder : folders) tell_signature(call, folder);
    const auto& runs = opened.all();
    auto all = compare_runs(runs);
    order_by_change(all);
    if (call.flag("json")) {
        call.console.out(document(all, folders));
    } else {
        const bool many = folders.size() > 2;
        std::vector<std::vector<std::string>> rows(1);
        rows[0] = {"point", "rule"};
        for (const auto& folder : folders)
            rows[0].push_back(std::filesystem::path(folder).filename().string());
        rows[0].push_back("margin");
        if (many) rows[0].push_back("deviation");
        const std::size_t most = call.flag("all") ? all.size() : 30;
        std::size_t changed = 0;
        for (const auto& c : all) {
            changed += c.verdicts_differ();
            if (rows.size() > most) continue;
            std::vector<std::string> row{printable(c.test + ": " + c.point), printable(c.rule)};
            for (const Finding* f : c.findings) row.push_back(told(f));
            row.push_back(change_text(c));
            if (many)
                row.push_back(format({c.values().deviation, is_decibel(c.unit()) ? Unit::db : c.unit()}, 3));
            rows.push_back(std::move(row));
        }
        for (const auto& line : aligned(rows, "")) call.console.out(line);
        if (all.size() + 1 > rows.size())
            call.console.out("... " + std::to_string(all.size()) + " findings in all; --all lists them");
        call.console.out(fmt::format("{} findings compared, verdicts differ in {}", all.size(), changed));
    }
    if (call.flag("figures")) draw(call, all, runs, folders);
    return ExitCode::passed;
}

}  // namespace

Command compare_command() {
    return {"compare",
            "RUN RUN...",
            "runs side by side: what changed, how well they repeat, their curves over each other",
            "rare-tally compare before after --figures overlays",
            {{"all", "", "list all findings; without it the 30 with the largest changes"},
             {"figures", "DIR", "draw the curves of both, with the limit; at most 24 figures"}},
            "run",
            perform_compare};
}

}  // namespace rt::cli
