#include "lab/formats/campaign_parts.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/conclude_section.hpp"
#include "lab/formats/question_section.hpp"
#include "lab/formats/test_section.hpp"
#include "lab/formats/watch_section.hpp"

namespace rt::lab {
namespace {

// The rulebooks that its rules are of, and those that they are layered on.
void note_books(const Test& test, Campaign& campaign) {
    for (const auto& judging : test.judgings) {
        campaign.books.insert(judging.rule.book->id);
        if (const auto& below = judging.rule.book->layered_on; !below.empty()) campaign.books.insert(below);
    }
}

std::string text_of(const ConfigNode& node, std::string_view key) {
    const ConfigNode* found = node.find(key);
    return found && found->kind == ConfigNode::Kind::text ? found->text : "";
}

// "2 or 4": one of these.
bool is_one_of(const std::string& wanted, const std::string& value) {
    std::string_view rest = wanted;
    for (;;) {
        const auto next = rest.find(" or ");
        if (lower(trim(rest.substr(0, next))) == lower(trim(value))) return true;
        if (next == std::string_view::npos) return false;
        rest.remove_prefix(next + 4);
    }
}

// Why something that applies to some units only does not to this one; "" when it does. Throws Error(input)
// for details that the unit does not state.
std::string why_not(const Campaign& campaign, const TextPairs& applies) {
    for (const auto& [name, wanted] : applies) {
        constexpr std::string_view mark = "unit.";
        if (!name.starts_with(mark))
            fail_input(in_quotes(name) +
                       " is no detail of the unit: write \"unit.NAME\" = \"VALUE\", or \"VALUE or VALUE\"");
        const std::string key = name.substr(mark.size()), value = campaign.unit_detail(key);
        if (value.empty()) {
            std::vector<std::string> names;
            for (const auto& [known, text] : campaign.unit) names.push_back(known);
            fail_input("the unit states no " + in_quotes(key) + suggestion(key, names) +
                       ": write details = { " + key + " = \"...\" } into [unit]");
        }
        if (!is_one_of(wanted, value))
            return "it applies where " + key + " is " + wanted + ", this unit has " + value;
    }
    return {};
}

}  // namespace

// Tests that `test` is made from.
std::vector<std::string> builds_on(const Campaign& campaign, const Test& test) {
    std::vector<std::string> out;
    if (test.found && !test.found->by_bench()) out.push_back(test.found->test);
    for (const auto& source : test.sources) out.push_back(source.test);
    for (const auto& name : test.limits_from()) out.push_back(name);
    for (const auto& other : campaign.tests) {
        if (!other.provides.empty() && test.settings_from().contains(other.provides))
            out.push_back(other.name);
    }
    for (const auto& other : campaign.tests) {
        if (!other.provides.empty() &&
            std::find(test.needs.begin(), test.needs.end(), other.provides) != test.needs.end())
            out.push_back(other.name);
    }
    return out;
}

void CampaignParts::complete(ConfigNode& node, const std::string& file) {
    for (auto& [key, tests] : node.entries) {
        if (key != "test") continue;
        for (ConfigNode& test : tests.items) {
            const std::string like = text_of(test, "like"), name = text_of(test, "name");
            if (!like.empty()) {
                const auto at = tests_.find(like);
                if (at == tests_.end()) {
                    std::vector<std::string> names;
                    for (const auto& [known, written] : tests_) names.push_back(known);
                    fail_input(file + ":" + std::to_string(test.line),
                               "like: no earlier test " + in_quotes(like) + suggestion(like, names));
                }
                for (const auto& [own, value] : at->second.entries) {
                    // What names one test is not shared.
                    if (own == "name" || own == "title" || own == "like" || own == "provides" ||
                        own == "note")
                        continue;
                    const auto there =
                        std::find_if(test.entries.begin(), test.entries.end(),
                                     [&, k = own](const auto& entry) { return entry.first == k; });
                    if (there == test.entries.end()) {
                        test.entries.emplace_back(own, value);
                    } else if (own == "parameters" || own == "settings") {
                        for (const auto& [part, text] : value.entries) {
                            if (!there->second.find(part)) there->second.entries.emplace_back(part, text);
                        }
                    }
                }
            }
            if (!name.empty()) tests_[name] = test;
        }
    }
}

void CampaignParts::read(ConfigNode node, const std::string& file, const SectionInfo& info) {
    complete(node, file);
    const ConfigNode& kept = nodes_.emplace_back(std::move(node));
    const ConfigSection root(kept, file, info);
    for (const auto& section : sections_of(root, kept, "sweep", named_sweep_section, errors_)) {
        errors_.at([&] {
            const std::string name = section.text("name");
            if (!sweeps_.emplace(name, section).second)
                section.fail("name", in_quotes(name) + " is the name of an earlier sweep");
        });
    }
    for (const auto& section : sections_of(root, kept, "question", question_section, errors_)) {
        errors_.at([&] {
            Question question = read_question(section);
            for (const auto& other : campaign_.questions) {
                if (other.name == question.name) section.fail("name", "is the name of an earlier question");
            }
            campaign_.questions.push_back(std::move(question));
        });
    }
    read_tests(root, kept);
    for (const auto& section : sections_of(root, kept, "conclude", conclude_section, errors_))
        conclusions_.push_back(section);
    for (const auto& section : sections_of(root, kept, "watch", watch_section, errors_))
        errors_.at([&] { campaign_.watches.push_back(read_watch(section)); });
    for (const auto& section : sections_of(root, kept, "recheck", recheck_section, errors_)) {
        errors_.at([&] {
            campaign_.rechecks.push_back(read_recheck(section, procedures_, files_, campaign_.files));
        });
    }
}

void CampaignParts::read_tests(const ConfigSection& root, const ConfigNode& node) {
    const SweepSources sources{library_, procedures_, files_, campaign_.files, &sweeps_};
    for (const auto& section : sections_of(root, node, "test", test_section, errors_)) {
        const bool read = errors_.at([&] {
            Test test = read_test(section, sources, campaign_.judging, campaign_.profile);
            if (campaign_.find(test.name))
                section.fail("name", in_quotes(test.name) + " is the name of an earlier test");
            note_books(test, campaign_);
            for (const auto& axis : sweep_sections(section, sources)) {
                const std::string plan = axis.text("plan");
                if (!plan.empty()) campaign_.books.insert(plan.substr(0, plan.find('/')));
            }
            section.at("applies", [&] { why_not(campaign_, section.pairs("applies")); });
            applies_[test.name] = section.pairs("applies");
            campaign_.tests.push_back(std::move(test));
        });
        if (!read) errors_.lacks(section.text("name"));
    }
}

void CampaignParts::finish() {
    for (const auto& section : conclusions_) {
        const bool read = errors_.at([&] {
            Test conclusion = read_conclusion(section, campaign_, library_, files_, campaign_.files);
            note_books(conclusion, campaign_);
            campaign_.tests.push_back(std::move(conclusion));
        });
        if (!read) errors_.lacks(section.text("name"));
    }
    errors_.finish();
    // What is made of a calibration's own capture holds no longer than the calibration does.
    for (auto& test : campaign_.tests) {
        for (const auto& source : test.sources) {
            const Test* other = test.concludes ? nullptr : campaign_.find(source.test);
            if (!other || other->provides.empty()) continue;
            if (std::find(test.needs.begin(), test.needs.end(), other->provides) == test.needs.end())
                test.needs.push_back(other->provides);
        }
    }
    leave_out();
}

void CampaignParts::leave_out() {
    std::map<std::string, std::string> out;  // by name, why
    for (const auto& test : campaign_.tests) {
        if (auto why = why_not(campaign_, applies_[test.name]); !why.empty()) out[test.name] = std::move(why);
    }
    for (bool more = true; more;) {
        more = false;
        for (const auto& test : campaign_.tests) {
            if (out.contains(test.name)) continue;
            for (const auto& other : builds_on(campaign_, test)) {
                if (!out.contains(other)) continue;
                out[test.name] = "it builds on " + other + ", which is left out";
                more = true;
                break;
            }
        }
    }
    for (const auto& test : campaign_.tests) {
        if (const auto at = out.find(test.name); at != out.end())
            campaign_.left_out.emplace_back(test.name, at->second);
    }
    std::erase_if(campaign_.tests, [&](const Test& test) { return out.contains(test.name); });
}

std::string CampaignParts::none_left() const {
    if (campaign_.left_out.empty()) return "the campaign has no tests";
    return "none of the tests applies to this unit: " + campaign_.left_out.front().first + ": " +
           campaign_.left_out.front().second;
}

}  // namespace rt::lab
