#include <nlohmann/json.hpp>

#include "cli/store_option.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/report/json_number.hpp"
#include "lab/store/shared_store.hpp"

namespace rt::cli {
namespace {

using FoundJson = nlohmann::ordered_json;

FindingQuery query_of(const Call& call) {
    FindingQuery query;
    query.unit = call.text("unit"), query.rule = call.text("rule"), query.test = call.text("test");
    query.since = call.text("since");
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

ExitCode perform_find(const Call& call) {
    const FindingQuery query = query_of(call);
    const auto folders = call.texts("folder");
    std::vector<FoundFinding> found;
    std::vector<std::string> left_out;
    if (folders.empty()) {
        const std::string address = store_address(call);
        if (address.empty())
            fail_input(
                "find needs folders with runs, or --store ADDRESS: rare-tally find tallies/ --below \"3 "
                "dB\"");
        found = SharedStore(address).find(query);
    } else {
        found = find_in_folders({folders.begin(), folders.end()}, query, left_out);
    }
    for (const auto& why : left_out) call.console.attention("left out: " + why);
    const ExitCode code = left_out.empty() ? ExitCode::passed : ExitCode::no_verdict;
    if (call.flag("json")) {
        FoundJson json = FoundJson::array();
        for (const auto& f : found) {
            json.push_back({{"run", f.run},
                            {"started", f.started},
                            {"model", f.model},
                            {"serial", f.serial},
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
    std::vector<std::vector<std::string>> rows;
    for (const auto& f : found) {
        Finding shown;
        shown.margin = f.margin, shown.unit = f.unit;
        rows.push_back({name(f.verdict), f.margin ? margin_text(shown) : "-", f.rule, f.test + ": " + f.point,
                        f.model + " " + f.serial, f.started.substr(0, 10), f.run});
    }
    for (const auto& line : aligned(rows, "")) call.console.out(printable(line));
    call.console.out(std::to_string(found.size()) + (found.size() == 1 ? " finding" : " findings") +
                     (found.size() == query.most ? ", those with the smallest margins" : ""));
    return code;
}

}  // namespace

Command find_command() {
    return {"find",
            "[FOLDER...] [--unit SERIAL] [--rule RULE] [--below MARGIN]",
            "findings over many runs, in folders or in the shared store, smallest margins first",
            "rare-tally find tallies --rule cispr-32 --below \"3 dB\"",
            {store_option,
             {"unit", "TEXT", "serial number or model of the unit"},
             {"rule", "ID", "a rule, or a rulebook for all its rules"},
             {"test", "NAME", "name of the test"},
             {"verdict", "WORD", "PASS, MARGINAL, FAIL or NONE"},
             {"below", "MARGIN", "margins smaller than this, such as \"3 dB\"; of a bare number in any unit"},
             {"since", "DATE", "of runs begun on this day or later"},
             {"most", "N", "so many at most; 1000 without it"}},
            "folder",
            perform_find};
}

}  // namespace rt::cli
