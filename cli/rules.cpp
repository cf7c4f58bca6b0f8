#include <fmt/core.h>

#include <deque>
#include <map>
#include <nlohmann/json.hpp>

#include "cli/command.hpp"
#include "cli/rules_care.hpp"
#include "core/base/text.hpp"
#include "core/rules/rule_text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/figure.hpp"

namespace rt::cli {
namespace {

using Texts = std::vector<std::string>;
using Json = nlohmann::ordered_json;

Json rule_json(RuleRef ref) {
    const Rule& rule = *ref.rule;
    return {{"id", ref.full_id()},
            {"title", rule.title},
            {"standard", ref.book->standard},
            {"edition", ref.book->edition},
            {"clause", rule.clause},
            {"quantity", rule.quantity},
            {"unit", symbol(rule.unit)},
            {"limit", limit_text(rule)},
            {"confidence", name(rule.confidence)},
            {"basis", rule.basis},
            {"signed_off", rule.sign_off.has_value()}};
}

std::vector<RuleRef> all_rules(const RuleLibrary& library) {
    std::vector<RuleRef> out;
    for (const auto& entry : library.entries()) {
        for (const auto& rule : entry.book.rules) out.push_back({&entry.book, &rule});
    }
    return out;
}

// Rules by id; a book's id alone stands for all its rules.
std::vector<RuleRef> chosen_rules(const RuleLibrary& library, const Texts& ids) {
    std::vector<RuleRef> out;
    for (const auto& id : ids) {
        if (id.find('/') != std::string::npos) {
            out.push_back(library.find(id));
            continue;
        }
        const Rulebook& book = library.find_book(id, id).book;
        for (const auto& rule : book.rules) out.push_back({&book, &rule});
    }
    return out;
}

// A line for each book.
void list_books(const Call& call, const RuleLibrary& library) {
    std::vector<std::vector<std::string>> rows;
    std::size_t rules = 0;
    for (const auto& entry : library.entries()) {
        const Rulebook& book = entry.book;
        const auto signed_off = std::count_if(book.rules.begin(), book.rules.end(),
                                              [](const Rule& rule) { return rule.sign_off.has_value(); });
        rows.push_back({book.id,
                        std::to_string(book.rules.size()) + (book.rules.size() == 1 ? " rule" : " rules"),
                        signed_off ? std::to_string(signed_off) + " signed off" : "none signed off",
                        book.standard + ", " + book.edition + ": " + book.title});
        rules += book.rules.size();
    }
    for (const auto& line : aligned(rows, "")) call.console.out(line);
    call.console.out(call.console.tinted(
        std::to_string(rules) + " rules in " + std::to_string(rows.size()) + " books", Tone::strong));
    call.console.progress("rare-tally rules list BOOK lists its rules, rules search WORDS finds them");
}

// Rules in whose texts all words stand, whatever their case.
void search(const Call& call, const RuleLibrary& library, const Texts& words) {
    if (words.empty()) fail_input("rules search needs words: rare-tally rules search occupied bandwidth");
    std::vector<std::vector<std::string>> rows;
    Json json = Json::array();
    for (const auto& ref : all_rules(library)) {
        const Rule& rule = *ref.rule;
        const std::string text =
            lower(ref.full_id() + " " + rule.title + " " + ref.book->standard + " " + ref.book->title + " " +
                  rule.clause + " " + rule.quantity + " " + rule.applies_to);
        const auto stands = [&](const std::string& word) {
            return text.find(lower(word)) != std::string::npos;
        };
        if (!std::all_of(words.begin(), words.end(), stands)) continue;
        rows.push_back({ref.full_id(), rule.title, ref.book->standard + ", " + rule.clause});
        json.push_back(rule_json(ref));
    }
    if (call.flag("json")) return call.console.out(json.dump(2));
    for (const auto& line : aligned(rows, "")) call.console.out(line);
    if (rows.empty()) call.console.out("no rule has these words");
}

void list(const Call& call, const RuleLibrary& library, const Texts& books) {
    if (call.flag("json")) {
        Json json = Json::array();
        for (const auto& ref : books.empty() ? all_rules(library) : chosen_rules(library, books))
            json.push_back(rule_json(ref));
        return call.console.out(json.dump(2));
    }
    if (books.empty()) return list_books(call, library);
    for (const auto& id : books) library.find_book(id, "rules list");
    for (const auto& entry : library.entries()) {
        const Rulebook& book = entry.book;
        if (std::find(books.begin(), books.end(), book.id) == books.end()) continue;
        call.console.out(call.console.tinted(book.id, Tone::strong) + "  " + book.standard + ", " +
                         book.edition + ": " + book.title);
        std::vector<std::vector<std::string>> rows;
        for (const auto& rule : book.rules) {
            rows.push_back({book.id + "/" + rule.id, rule.title, name(rule.confidence),
                            rule.sign_off                  ? "signed off"
                            : rule.lapsed_sign_off.empty() ? "not signed off"
                                                           : "sign-off lapsed"});
        }
        for (const auto& line : aligned(rows, "  ")) call.console.out(line);
    }
}

void show(const Call& call, RuleRef ref) {
    const Console& console = call.console;
    const Rule& rule = *ref.rule;
    if (call.flag("json")) return console.out(rule_json(ref).dump(2));
    console.out(console.tinted(ref.full_id(), Tone::strong) + "  " + rule.title);
    std::vector<std::vector<std::string>> rows{{"standard", ref.book->standard + ", " + ref.book->edition},
                                               {"clause", rule.clause},
                                               {"quantity", rule.quantity + " in " + pretty(rule.unit)},
                                               {"judges", rule.applies_to}};
    for (const auto& text : limit_text(rule)) rows.push_back({"limit", text});
    if (rule.detector) rows.push_back({"detector", name(*rule.detector)});
    if (rule.bandwidth) rows.push_back({"bandwidth", format(*rule.bandwidth)});
    for (const auto& [name, value] : rule.conditions) rows.push_back({name, value});
    for (const auto& [name, value] : rule.presets) rows.push_back({"preset " + name, value});
    const double marginal = rule.marginal.value_or(default_marginal(rule.unit));
    if (marginal > 0)
        rows.push_back({"marginal below", format({marginal, is_decibel(rule.unit) ? Unit::db : rule.unit})});
    rows.push_back({"basis", rule.basis});
    rows.push_back({"confidence", std::string(name(rule.confidence)) +
                                      (rule.confidence == Confidence::sure ? "" : ": check before use")});
    rows.push_back(
        {"sign-off", rule.sign_off
                         ? rule.sign_off->by + ", " + rule.sign_off->on + ", " + rule.sign_off->document
                     : rule.lapsed_sign_off.empty()
                         ? "not signed off by the laboratory"
                         : "lapsed: another text of it was signed off (" + rule.lapsed_sign_off + ")"});
    if (!rule.note.empty()) rows.push_back({"note", rule.note});
    for (const auto& line : aligned(rows, "  ")) console.out(line);
}

void draw(const Call& call, std::vector<RuleRef> rules) {
    const std::string file = call.text("out").empty() ? "rules.svg" : call.text("out");
    require_figure_name("out", file);
    const std::size_t all = rules.size();
    std::erase_if(rules, [](RuleRef r) { return r.rule->bound(); });
    if (rules.empty()) fail_input("nothing to draw: bounds of a single value have no line");
    const bool mask = rules.front().rule->mask();
    for (const auto& ref : rules) {
        if (ref.rule->unit != rules.front().rule->unit || static_cast<bool>(ref.rule->mask()) != mask) {
            fail_input("rules " + rules.front().full_id() + " and " + ref.full_id() +
                       " do not share one pair of axes: draw them apart");
        }
    }
    Plotter plotter;
    plotter.draw(rules_figure(rules), file);
    plotter.finish();
    call.console.out("drew " + std::to_string(rules.size()) + (rules.size() == 1 ? " rule" : " rules") +
                     " into " + file + (all > rules.size() ? "; bounds of a single value left out" : ""));
}

// Two books, or two editions of one, rule by rule.
void differences(const Call& call, const RuleLibrary& library, const Texts& books) {
    if (books.size() != 2)
        fail_input(
            "rules diff needs two rulebooks, by id or as files: rare-tally rules diff 2015.toml cispr-32");
    // Editions in files may have one id: each file is read by itself.
    std::deque<RuleLibrary> own;
    const auto book_named = [&](const std::string& id) -> const Rulebook& {
        if (id.ends_with(".toml")) {
            RuleLibrary& files = own.emplace_back();
            if (!layered_on(read_file(id), id).empty()) files.add_folder(share_folder() / "rulebooks");
            files.add(id);
            if (files.entries().empty()) fail_input(id, "is no rulebook");
            return files.entries().back().book;
        }
        return library.find_book(id, "rules diff").book;
    };
    const Rulebook &before = book_named(books[0]), &after = book_named(books[1]);
    Json json = Json::array();
    std::size_t changed = 0, same = 0;
    const auto tell = [&](const std::string& rule, const std::string& what, const std::string& a,
                          const std::string& b) {
        json.push_back({{"rule", rule}, {"what", what}, {"before", a}, {"after", b}});
        if (call.flag("json")) return;
        call.console.out(call.console.tinted(rule, Tone::strong) + "  " + what);
        if (!a.empty()) call.console.out("  - " + a);
        if (!b.empty()) call.console.out("  + " + b);
    };
    for (const Rule& rule : before.rules) {
        const Rule* other = after.find(rule.id);
        if (!other) {
            tell(rule.id, "only in " + before.id, rule.title, "");
            ++changed;
            continue;
        }
        auto a = sayings(rule), b = sayings(*other);
        bool differs = false;
        for (const auto& [what, text] : b) a.try_emplace(what, "");
        for (const auto& [what, text] : a) {
            if (text == b[what]) continue;
            tell(rule.id, what, text, b[what]);
            differs = true;
        }
        ++(differs ? changed : same);
    }
    for (const Rule& rule : after.rules) {
        if (before.find(rule.id)) continue;
        tell(rule.id, "only in " + after.id, "", rule.title);
        ++changed;
    }
    if (call.flag("json")) return call.console.out(json.dump(2));
    call.console.out(fmt::format("{} rules differ, {} are the same", changed, same));
}

ExitCode perform_rules(const Call& call) {
    auto words = call.texts("words");
    RuleLibrary library = load_rules(call);
    const std::string action = words.empty() ? "list" : words.front();
    if (!words.empty()) words.erase(words.begin());
    const Texts actions{"list", "search", "show", "draw", "diff", "sign", "lint"};
    if (action == "list") {
        list(call, library, words);
    } else if (action == "search") {
        search(call, library, words);
    } else if (action == "show" || action == "draw" || action == "sign") {
        if (words.empty())
            fail_input("rules " + action + " needs at least one rule, such as cispr-32/mains-b-qp");
        const auto rules = chosen_rules(library, words);
        if (action == "draw") {
            draw(call, rules);
        } else if (action == "sign") {
            sign_rules(call, rules);
        } else {
            for (const auto& ref : rules) show(call, ref);
        }
    } else if (action == "diff") {
        differences(call, library, words);
    } else if (action == "lint") {
        return lint_rules(call, library, words);
    } else {
        fail_input("unknown action " + in_quotes(action) + suggestion(action, actions));
    }
    return ExitCode::passed;
}

}  // namespace

Command rules_command() {
    return {
        "rules",
        "[list [BOOK] | search WORDS | show ID... | draw ID... | diff BOOK BOOK | sign ID... | lint [BOOK]]",
        "the published limits at hand: list, search, show, draw, differences between editions, sign-off, "
        "slips",
        "rare-tally rules draw cispr-32/mains-b-qp cispr-32/mains-b-av --out class-b.png",
        {rulebook_option,
         {"out", "FILE", "draw: file to draw into, .svg or .png; rules.svg without it"},
         {"by", "NAME", "sign: who has checked the rule against the lab's copy of the standard"},
         {"document", "TEXT", "sign: that copy"},
         {"on", "DATE", "sign: when; today without it"},
         {"into", "FILE", "sign: file of sign-offs to append to; sign-offs.toml without it"}},
        "words",
        perform_rules};
}

}  // namespace rt::cli
