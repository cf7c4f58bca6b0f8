#include "cli/rules_care.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "core/rules/rule_text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/sign_off_file.hpp"

namespace rt::cli {
namespace {

// Names of all curves and results that a rule may judge.
std::vector<std::string> judged_names() {
    std::vector<std::string> out;
    for (const auto& procedure : procedures()) {
        for (const auto& trace : procedure.traces) out.emplace_back(trace.name);
        for (const auto& result : procedure.results) out.emplace_back(result.name);
    }
    return out;
}

}  // namespace

void sign_rules(const Call& call, const std::vector<RuleRef>& rules) {
    const std::string by(trim(call.text("by"))), document(trim(call.text("document")));
    if (by.empty() || document.empty())
        fail_input("rules sign needs --by NAME and --document TEXT: who has checked, and against which copy");
    const std::string on = call.flag("on") ? call.text("on") : utc_now().substr(0, 10);
    if (!is_date(on)) fail_input("--on " + on + ": write a date such as 2026-05-31");
    if (on > utc_now().substr(0, 10)) fail_input("--on " + on + ": this day is still to come");
    const std::string file = call.text("into").empty() ? "sign-offs.toml" : call.text("into");
    for (const auto& rule : rules) {
        append_sign_off(file, rule, {by, on, document});
        call.console.out("signed off " + rule.full_id() + ": " + rule.rule->title);
        for (const auto& text : limit_text(*rule.rule)) call.console.out("           " + text);
    }
    call.console.out("wrote " + file + "; it counts where it is given: --rulebook " + file +
                     ", or rulebooks = [\"" + std::filesystem::path(file).filename().string() +
                     "\"] in the campaign");
}

ExitCode lint_rules(const Call& call, RuleLibrary& library, const std::vector<std::string>& wanted) {
    std::vector<std::string> books, known;
    for (const auto& text : wanted) {
        if (!text.ends_with(".toml")) {
            books.push_back(text);
            continue;
        }
        const std::size_t before = library.entries().size();
        library.add(text);
        if (library.entries().size() > before) books.push_back(library.entries().back().book.id);
    }
    const auto products = judged_names();
    nlohmann::ordered_json json = nlohmann::ordered_json::array();
    std::size_t rules = 0, doubted = 0;
    for (const auto& entry : library.entries()) {
        known.push_back(entry.book.id);
        const bool chosen =
            books.empty() || std::find(books.begin(), books.end(), entry.book.id) != books.end();
        if (!chosen) continue;
        for (const auto& rule : entry.book.rules) {
            const RuleRef ref{&entry.book, &rule};
            auto lines = doubts(ref, products);
            if (!rule.lapsed_sign_off.empty())
                lines.push_back("was signed off (" + rule.lapsed_sign_off +
                                ") with another text than it has now");
            ++rules, doubted += !lines.empty();
            for (const auto& line : lines) {
                json.push_back({{"rule", ref.full_id()}, {"doubt", line}});
                if (!call.flag("json")) call.console.out(ref.full_id() + ": " + line);
            }
        }
    }
    for (const auto& book : books) {
        if (std::find(known.begin(), known.end(), book) == known.end())
            fail_input("no rulebook " + in_quotes(book) + suggestion(book, known));
    }
    if (call.flag("json")) {
        call.console.out(json.dump(2));
    } else {
        call.console.out(fmt::format("{} rules looked at, {} to look at again", rules, doubted));
    }
    return doubted ? ExitCode::failed : ExitCode::passed;
}

}  // namespace rt::cli
