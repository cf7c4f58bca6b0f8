// Questions to the operator before a run: pre-checks, serial numbers. Answers come from the operator, from a
// file, or from declared defaults.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/model/question.hpp"

namespace rt::lab {

extern const SectionInfo question_section;

Question read_question(const ConfigSection& section);

// What the operator may answer, for the prompt: "yes or no", "a date such as 2027-05-31" ...
std::string expected_answer(const Question& question);

// Throws Error(input) when the answer is of the wrong kind or the check is not met: no instead of yes, a date
// that has passed, a value outside its range.
void require_met(const Question& question, const std::string& answer);

// "name = answer" in TOML. Throws Error(input) for names that neither a question nor a prompt has.
Answers read_answers(const std::filesystem::path& file, const std::vector<Question>& questions,
                     const std::vector<std::string>& prompts = {});

// Every question's answer: out of `known`, else from `ask_operator` (if somebody is there), else its default
// when `unattended`. Every answer is checked; the operator is asked again, told why, until his answer will do
// or he says "stop". Throws Error(input) for a question that nobody answers, and for answers beforehand that
// will not do.
using AskOperator = std::function<std::string(const Question&, const std::string& why)>;
Answers ask_all(const std::vector<Question>& questions, Answers known, bool unattended,
                const AskOperator& ask_operator);

}  // namespace rt::lab
