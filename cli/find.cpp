#include <algorithm>
#include <array>
#include <limits>
#include <nlohmann/json.hpp>
#include <set>

#include "cli/store_option.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/json_number.hpp"
#include "lab/store/shared_store.hpp"

namespace rt::cli {
namespace {

using FoundJson = nlohmann::ordered_json;

FindingQuery query_of(const Call& call) {
    FindingQuery query;
    query.unit = call.text("unit"), query.rule = call.text("rule"), query.test = call.text("test");
    query.since = call.text("since"), query.bench = call.text("bench");
    query.judgement = call.text("judgement");
    if (call.flag("since") && !is_date(query.since))
        fail_input("--since " + query.since + ": write a date such as 2026-05-31");
    if (call.flag("verdict")) {
        for (const Verdict each : {Verdict::pass, Verdict::marginal, Verdict::fail, Verdict::none}) {
            if (lower(call.text("verdict")) == lower(name(each))) query.verdict = each;
        }
        if (!query.verdict)
            fail_input("--verdict " + call.text("verdict") + ": write PASS, MARGINAL, FAIL or NONE");
    }
    if (call.flag("below")) {
        if (const auto number = to_double(call.text("below"))) {
            query.below = *number;
        } else {
            try {
                const Quantity margin = parse_quantity(call.text("below"));
                query.below = margin.value, query.below_unit = margin.unit;
            } catch (const Error&) {
                fail_input("--below " + call.text("below") +
                           ": write a margin, such as \"3 dB\", or a number");
            }
        }
    }
    if (call.flag("most")) query.most = whole_option(call, "most", 1, 10'000'000);
    return query;
}

// What folders hold, or the store.
struct Asked {
    std::vector<std::filesystem::path> folders;
    std::string store;
};
Asked where_to_look(const Call& call, const char* command) {
    const auto folders = call.texts("folder");
    Asked out{{folders.begin(), folders.end()}, folders.empty() ? store_address(call) : ""};
    if (folders.empty() && out.store.empty())
        fail_input(std::string(command) + " needs folders with runs, or --store ADDRESS: rare-tally " +
                   command + " tallies/ --rule cispr-32");
    return out;
}

ExitCode told_left_out(const Call& call, const std::vector<std::string>& left_out) {
    for (const auto& why : left_out) call.console.attention("left out: " + why);
    return left_out.empty() ? ExitCode::passed : ExitCode::no_verdict;
}

void print_rows(const Call& call, const std::vector<std::vector<std::string>>& rows) {
    for (const auto& line : aligned(rows, "")) call.console.out(printable(line));
}

// The runs alone, each once, in their order: for each, or for a shell.
void print_folders(const Call& call, const std::vector<std::string>& runs) {
    std::set<std::string> told;
    for (const auto& run : runs)
        if (told.insert(run).second) call.console.out(printable(run));
}

// Where a capture lies, by the file or by its hash.
ExitCode find_a_capture(const Call& call, const Asked& where) {
    std::string hash = lower(call.text("capture"));
    const bool is_hash = hash.size() == 64 && hash.find_first_not_of("0123456789abcdef") == std::string::npos;
    if (!is_hash) hash = sha256_of_file(call.text("capture"));
    std::vector<std::string> left_out, runs;
    const auto found = where.store.empty() ? find_capture_in_folders(where.folders, hash, left_out)
                                           : SharedStore(where.store).find_capture(hash);
    const ExitCode code = told_left_out(call, left_out);
    FoundJson json = FoundJson::array();
    std::vector<std::vector<std::string>> rows;
    for (const auto& f : found) {
        runs.push_back(f.run);
        json.push_back({{"run", f.run},
                        {"started", f.started},
                        {"model", f.model},
                        {"serial", f.serial},
                        {"test", f.test},
                        {"point", f.point},
                        {"role", f.role},
                        {"path", f.path},
                        {"sha256", hash}});
        rows.push_back({f.role, f.test + ": " + f.point, f.model + " " + f.serial, f.started.substr(0, 10),
                        f.run, f.path});
    }
    if (call.flag("json")) {
        call.console.out(json.dump(2));
    } else if (call.flag("folders")) {
        print_folders(call, runs);
    } else {
        print_rows(call, rows);
        call.console.out(std::to_string(found.size()) + (found.size() == 1 ? " place" : " places") +
                         " of sha256 " + hash);
    }
    return code;
}

ExitCode perform_find(const Call& call) {
    const Asked where = where_to_look(call, "find");
    if (call.flag("capture")) return find_a_capture(call, where);
    const FindingQuery query = query_of(call);
    std::vector<std::string> left_out, runs;
    const auto found = where.store.empty() ? find_in_folders(where.folders, query, left_out)
                                           : SharedStore(where.store).find(query);
    const ExitCode code = told_left_out(call, left_out);
    if (call.flag("json")) {
        FoundJson json = FoundJson::array();
        for (const auto& f : found) {
            json.push_back({{"run", f.run},
                            {"started", f.started},
                            {"model", f.model},
                            {"serial", f.serial},
                            {"bench", f.bench},
                            {"test", f.test},
                            {"point", f.point},
                            {"rule", f.rule},
                            {"verdict", name(f.verdict)},
                            {"value", json_number(f.value)},
                            {"limit", json_number(f.limit)},
                            {"margin", json_number(f.margin)},
                            {"unit", symbol(f.unit)}});
        }
        call.console.out(json.dump(2));
        return code;
    }
    if (call.flag("folders")) {
        for (const auto& f : found) runs.push_back(f.run);
        print_folders(call, runs);
        return code;
    }
    std::vector<std::vector<std::string>> rows;
    for (const auto& f : found) {
        Finding shown;
        shown.margin = f.margin, shown.unit = f.unit;
        rows.push_back({name(f.verdict), f.margin ? margin_text(shown) : "-", f.rule, f.test + ": " + f.point,
                        f.model + " " + f.serial, f.started.substr(0, 10), f.run});
    }
    print_rows(call, rows);
    call.console.out(std::to_string(found.size()) + (found.size() == 1 ? " finding" : " findings") +
                     (found.size() == query.most ? ", those with the smallest margins" : ""));
    return code;
}

ExitCode perform_trend(const Call& call) {
    const Asked where = where_to_look(call, "trend");
    FindingQuery query = query_of(call);
    query.most = std::numeric_limits<std::size_t>::max();
    TrendBy by = TrendBy::month;
    if (call.flag("by")) {
        const auto at = std::find(std::begin(trend_names), std::end(trend_names), call.text("by"));
        if (at == std::end(trend_names))
            fail_input("--by " + call.text("by") +
                       ": write day, month, year, unit, model, bench, rule or test");
        by = static_cast<TrendBy>(at - std::begin(trend_names));
    }
    if (call.flag("figure")) require_figure_name("figure", call.text("figure"));
    std::vector<std::string> left_out;
    const auto groups = where.store.empty() ? trend_of(find_in_folders(where.folders, query, left_out), by)
                                            : SharedStore(where.store).trend(query, by);
    const ExitCode code = told_left_out(call, left_out);
    if (call.flag("figure")) {
        std::string title = "Margins by " + std::string(name(by));
        for (const auto* part : {&query.rule, &query.unit, &query.bench, &query.judgement})
            if (!part->empty()) title += ", " + *part;
        Plotter plotter;
        plotter.draw(trend_figure(groups, by, title), call.text("figure"));
        plotter.finish();
    }
    if (call.flag("json")) {
        FoundJson json = FoundJson::array();
        for (const auto& g : groups) {
            json.push_back({{name(by), g.key},
                            {"unit_of_margin", symbol(g.unit)},
                            {"runs", g.runs},
                            {"counts",
                             {{"PASS", g.verdicts.pass},
                              {"MARGINAL", g.verdicts.marginal},
                              {"FAIL", g.verdicts.fail},
                              {"NONE", g.verdicts.none}}},
                            {"lowest", json_number(g.lowest)},
                            {"quarter", json_number(g.quarter)},
                            {"median", json_number(g.median)},
                            {"three_quarters", json_number(g.three_quarters)},
                            {"highest", json_number(g.highest)}});
        }
        call.console.out(json.dump(2));
        return code;
    }
    std::vector<std::vector<std::string>> rows{{name(by), "runs", "findings", "marginal", "failed",
                                                "no verdict", "smallest margin", "quarter below", "median",
                                                "greatest"}};
    for (const auto& g : groups) {
        const auto margin = [&](const std::optional<double>& value) {
            return value ? format({*value, g.unit}, 4) : std::string("-");
        };
        rows.push_back({g.key.empty() ? "-" : g.key, std::to_string(g.runs),
                        std::to_string(g.verdicts.total()), std::to_string(g.verdicts.marginal),
                        std::to_string(g.verdicts.fail), std::to_string(g.verdicts.none), margin(g.lowest),
                        margin(g.quarter), margin(g.median), margin(g.highest)});
    }
    print_rows(call, rows);
    if (call.flag("figure")) call.console.out("wrote " + call.text("figure"));
    return code;
}

constexpr std::array asked_options{
    OptionInfo{"unit", "TEXT", "serial number or model of the unit"},
    OptionInfo{"rule", "ID", "a rule, or a rulebook for all its rules"},
    OptionInfo{"test", "NAME", "name of the test"},
    OptionInfo{"bench", "NAME", "name of the bench"},
    OptionInfo{"verdict", "WORD", "PASS, MARGINAL, FAIL or NONE"},
    OptionInfo{"below", "MARGIN",
               "margins smaller than this, such as \"3 dB\"; of a bare number in any unit"},
    OptionInfo{"since", "DATE", "of runs begun on this day or later"},
    OptionInfo{"judgement", "NAME", "findings of a judgement put into the store (judge --as)"}};

std::vector<OptionInfo> options_with(std::initializer_list<OptionInfo> more) {
    std::vector<OptionInfo> out{store_option};
    out.insert(out.end(), asked_options.begin(), asked_options.end());
    out.insert(out.end(), more);
    return out;
}

}  // namespace

Command find_command() {
    return {
        "find",
        "[FOLDER...] [--unit SERIAL] [--rule RULE] [--below MARGIN]",
        "findings over many runs, in folders or in the shared store, smallest margins first",
        "rare-tally find tallies --rule cispr-32 --below \"3 dB\"",
        options_with({{"most", "N", "so many at most; 1000 without it"},
                      {"folders", "", "the runs alone, one a line: for each --from"},
                      {"capture", "FILE|HASH", "where this capture is kept, by its file or its SHA-256"}}),
        "folder",
        perform_find};
}

Command trend_command() {
    return {
        "trend",
        "[FOLDER...] [--by month|unit|bench|...] [--rule RULE] [--figure FILE]",
        "margins over many runs, group by group: months, units, benches, rules",
        "rare-tally trend tallies --rule cispr-32/mains-b-qp --by month --figure trend.svg",
        options_with({{"by", "WORD", "day, month (without it), year, unit, model, bench, rule or test"},
                      {"figure", "FILE", "draw medians, middle halves and smallest margins (.svg, .png)"}}),
        "folder",
        perform_trend};
}

}  // namespace rt::cli
