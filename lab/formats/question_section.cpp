#include "lab/formats/question_section.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array question_keys{
    KeyInfo{"name", Key::text, true, "short name, unique in the campaign; answers files use it"},
    KeyInfo{"ask", Key::text, true, "the question"},
    KeyInfo{"kind", Key::text, false, "yes (without it: must be answered yes), date-not-past, value or text"},
    KeyInfo{"min", Key::quantity, false, "lowest allowed value"},
    KeyInfo{"max", Key::quantity, false, "highest allowed value"},
    KeyInfo{"default", Key::word, false, "answer when nobody is there (--unattended)"},
    KeyInfo{"sets", Key::text, false, "detail of the unit that the answer becomes: serial, firmware ..."},
};

const std::vector<std::string> kinds{"yes", "date-not-past", "value", "text"};

[[noreturn]] void fail(const Question& question, const std::string& why) {
    fail_input(question.place, "question " + in_quotes(question.name) + " (" + question.ask + "): " + why);
}

}  // namespace

const SectionInfo question_section{
    "[[question]]", "Asked before the run. What is not met keeps it from beginning.", question_keys};

Question read_question(const ConfigSection& section) {
    Question question;
    question.name = section.text("name");
    question.ask = section.text("ask");
    question.otherwise = section.text("default");
    question.sets = section.text("sets");
    question.place = section.place();
    const std::string kind = section.has("kind") ? section.text("kind") : "yes";
    const auto at = std::find(kinds.begin(), kinds.end(), kind);
    if (at == kinds.end()) section.fail("kind", "unknown kind " + in_quotes(kind) + suggestion(kind, kinds));
    question.kind = static_cast<Question::Kind>(at - kinds.begin());
    question.min = section.quantity("min");
    question.max = section.quantity("max");
    const bool bounded = question.min || question.max;
    if (bounded != (question.kind == Question::Kind::value)) {
        section.fail("kind", "a value needs min or max, and only a value has them");
    }
    if (question.min && question.max && question.min->unit != question.max->unit) {
        section.fail("max", "min and max need the same unit");
    }
    return question;
}

std::string expected_answer(const Question& question) {
    switch (question.kind) {
        case Question::Kind::yes:
            return "yes or no";
        case Question::Kind::date_not_past:
            return "a date such as 2027-05-31";
        case Question::Kind::text:
            return "text";
        case Question::Kind::value:
            break;
    }
    if (question.min && question.max) return format(*question.min) + " to " + format(*question.max);
    return question.min ? "at least " + format(*question.min) : "at most " + format(*question.max);
}

void require_met(const Question& question, const std::string& answer) {
    const std::string given = in_quotes(answer);
    switch (question.kind) {
        case Question::Kind::yes:
            if (answer == "no") fail(question, "not met: answered no");
            if (answer != "yes") fail(question, given + " is neither yes nor no");
            return;
        case Question::Kind::date_not_past:
            if (!is_date(answer)) fail(question, given + " is no date: write it as 2027-05-31");
            if (answer < today()) fail(question, "not met: " + answer + " has passed");
            return;
        case Question::Kind::text:
            if (trim(answer).empty()) fail(question, "the answer is empty");
            return;
        case Question::Kind::value:
            break;
    }
    Quantity value;
    try {
        value = parse_quantity(answer, (question.min ? question.min : question.max)->unit);
    } catch (const Error& error) {
        fail(question, error.message());
    }
    if ((question.min && value.value < question.min->value) ||
        (question.max && value.value > question.max->value)) {
        fail(question, "not met: " + format(value) + " is not " + expected_answer(question));
    }
}

Answers read_answers(const std::filesystem::path& file, const std::vector<Question>& questions,
                     const std::vector<std::string>& prompts) {
    Answers answers;
    std::vector<std::string> names;
    for (const auto& question : questions) names.push_back(question.name);
    names.insert(names.end(), prompts.begin(), prompts.end());
    const ConfigNode root = parse_config(read_file(file), file.string());
    for (const auto& [name, node] : root.entries) {
        const std::string place = fmt::format("{}:{}:{}", file.string(), node.line, node.column);
        if (std::find(names.begin(), names.end(), name) == names.end()) {
            fail_input(place, "no question or prompt " + in_quotes(name) + " in the campaign" +
                                  suggestion(name, names));
        }
        if (!node.items.empty() || !node.entries.empty())
            fail_input(place, "an answer is a text, number or date");
        answers[name] = node.kind == ConfigNode::Kind::flag ? (node.flag ? "yes" : "no") : node.text;
    }
    return answers;
}

// An empty answer is the default, where there is one.
static std::string ask_until_met(const Question& question, const AskOperator& ask_operator) {
    std::string why;
    for (;;) {
        std::string answer(trim(ask_operator(question, why)));
        if (answer.empty()) answer = question.otherwise;
        try {
            require_met(question, answer);
            return answer;
        } catch (const Error& error) {
            if (answer == "stop" && !why.empty()) fail(question, why);
            if (answer == "stop") fail(question, "not answered: the run was not begun");
            why = error.message();
        }
    }
}

Answers ask_all(const std::vector<Question>& questions, Answers known, bool unattended,
                const AskOperator& ask_operator) {
    for (const auto& question : questions) {
        if (!known.contains(question.name)) {
            if (unattended && !question.otherwise.empty()) {
                known[question.name] = question.otherwise;
            } else if (ask_operator && !unattended) {
                known[question.name] = ask_until_met(question, ask_operator);
            } else {
                fail(question,
                     "nobody answers: run on a terminal, name an --answers file" +
                         std::string(question.otherwise.empty() ? ""
                                                                : ", or use --unattended for its default"));
            }
        }
        require_met(question, known[question.name]);
    }
    return known;
}

}  // namespace rt::lab
