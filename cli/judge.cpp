#include <fmt/core.h>
#include <nlohmann/json.hpp>

#include <set>

#include "cli/campaign_options.hpp"
#include "cli/store_option.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/json_number.hpp"
#include "lab/run/second_judgement.hpp"
#include "lab/store/shared_store.hpp"

namespace rt::cli {
namespace {

using Json = nlohmann::ordered_json;

// "cispr-32=our-cispr-32" under --instead: which book's rules take the place of which.
std::map<std::string, std::string> books_instead(const Call& call) {
    std::map<std::string, std::string> out;
    for (const auto& text : call.texts("instead")) {
        const auto equals = text.find('=');
        if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
            fail_input("--instead " + text + ": write OLD=NEW, the ids of two rulebooks");
        out[text.substr(0, equals)] = text.substr(equals + 1);
    }
    return out;
}

Json side(const Finding& f) {
    return {{"rule", f.rule},
            {"verdict", name(f.verdict)},
            {"limit", json_number(f.limit)},
            {"value", json_number(f.value)},
            {"margin", json_number(f.margin)},
            {"reason", f.reason}};
}

struct Difference {
    std::string test, label;
    std::size_t position;
    Finding before, after;
};

// What came of it: how many there were, and those that are others than before.
struct Judged {
    std::size_t findings = 0;
    VerdictCounts before, counts;
    std::vector<Difference> differing;
};

std::string document(const Judged& judged) {
    Json differences = Json::array();
    for (const auto& s : judged.differing) {
        differences.push_back({{"test", s.test},
                               {"point", s.label},
                               {"position", s.position},
                               {"unit", symbol(s.after.unit)},
                               {"before", side(s.before)},
                               {"after", side(s.after)}});
    }
    const Json out{{"findings", judged.findings},
                   {"counts",
                    {{"PASS", judged.counts.pass},
                     {"MARGINAL", judged.counts.marginal},
                     {"FAIL", judged.counts.fail},
                     {"NONE", judged.counts.none}}},
                   {"differences", differences}};
    return out.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

std::string told(const Finding& f) {
    return std::string(name(f.verdict)) + (f.margin ? " " + margin_text(f) : "");
}

ExitCode perform_judge(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() != 1) fail_input("judge needs one run folder: rare-tally judge RUN");
    const RunData data(folders.front(), Altered::refuse, Held::by_point);
    tell_signature(call, folders.front());
    if (call.flag("as") && (call.text("as").empty() || store_address(call).empty()))
        fail_input(
            "--as puts the judgement into the shared store under a name: add --store ADDRESS, or set "
            "RARE_TALLY_STORE");
    const auto kept = load_kept_campaign(folders.front(), Loaded::to_look_at);
    const auto instead = books_instead(call);
    // Books named on the command line stand beside the shipped ones; what the run kept stays apart.
    const RuleLibrary other = load_rules(call);
    SecondJudgement how;
    how.from_captures = call.flag("captures");
    if (call.flag("decision")) {
        how.decision = parse_decision(call.text("decision"));
        if (!how.decision) fail_input("--decision " + call.text("decision") + ": simple, guarded or cispr");
    }
    how.rule_for = [&](const std::string& id) {
        const auto slash = id.find('/');
        const auto book = instead.find(id.substr(0, slash));
        if (book != instead.end()) return other.find(book->second + id.substr(slash));
        return call.flag("present") ? other.find(id) : data.rules().find(id);
    };
    Judged judged;
    // All of it for the shared store, with the books whose rules were taken.
    const std::string address = call.flag("as") ? store_address(call) : "";
    Judgement kept_apart{call.text("as"), "", {}};
    std::set<std::string> books;
    judge_again(data, kept->campaign, kept->bench, how, [&](SecondFinding&& s) {
        ++judged.findings;
        judged.before.add(s.before.verdict);
        judged.counts.add(s.after.verdict);
        if (!address.empty()) {
            const Rulebook& book = *how.rule_for(s.before.rule).book;
            books.insert(book.id + " (" + book.standard + ", " + book.edition + ")");
            kept_apart.findings.push_back({s.point.position, s.after});
        }
        if (s.differs())
            judged.differing.push_back(
                {s.point.test, s.point.label, s.point.position, s.before, std::move(s.after)});
    });
    for (const auto& book : books) kept_apart.books += (kept_apart.books.empty() ? "" : "; ") + book;
    std::vector<std::vector<std::string>> rows{{"point", "rule", "before", "after", "why"}};
    for (const auto& s : judged.differing) {
        rows.push_back(
            {s.test + ": " + s.label, s.after.rule, told(s.before), told(s.after), s.after.reason});
    }
    if (call.flag("out")) write_file(call.text("out"), document(judged));
    if (!address.empty()) SharedStore(address).put(folders.front(), kept_apart);
    if (call.flag("json")) {
        call.console.out(document(judged));
    } else {
        for (auto& row : rows) {
            for (auto& text : row) text = printable(text);
        }
        if (rows.size() > 1) {
            for (const auto& line : aligned(rows, "")) call.console.out(line);
        }
        call.console.out(fmt::format("{} findings judged again, {}{}", judged.findings, rows.size() - 1,
                                     (rows.size() == 2 ? " differs" : " differ")));
        call.console.out("before: " + call.console.counts(judged.before));
        call.console.out("now:    " + call.console.counts(judged.counts));
        if (call.flag("out")) call.console.out("wrote " + call.text("out"));
        if (!address.empty()) call.console.out("put into the store as " + printable(call.text("as")));
    }
    return exit_code(judged.counts, true);
}

}  // namespace

Command judge_command() {
    return {"judge",
            "RUN [--instead OLD=NEW]",
            "a kept run judged again, maybe by other limits; nothing in it changes",
            "rare-tally judge first-run --rulebook our-limits.toml --instead cispr-32=our-cispr-32",
            {rulebook_option,
             {"instead", "OLD=NEW", "rules of the book NEW take the place of those of OLD"},
             {"present", "", "by the rulebooks as they are today, not as the run kept them"},
             {"captures", "", "measure the results anew from the captures; curves always are"},
             {"decision", "WORD", "how uncertainty enters: simple, guarded or cispr"},
             {"as", "NAME", "put all of it into the shared store under this name: find --judgement NAME"},
             store_option,
             {"out", "FILE", "write the differences as JSON"}},
            "run",
            perform_judge};
}

}  // namespace rt::cli
