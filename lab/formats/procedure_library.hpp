// Procedures at hand: those of the catalogue and analyses of the user's own.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/measure/procedure.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/analysis.hpp"

namespace rt::lab {

// Starts the program of an analysis and gives what it answers; the errors of lab/analysis/ask.hpp.
using AskProgram = std::function<Outcome(const Analysis&, Inputs, const Parameters&)>;

class ProcedureLibrary {
  public:
    // Without `ask` programs are never started: for kept runs.
    explicit ProcedureLibrary(AskProgram ask = nullptr) : ask_(std::move(ask)) {}

    // An analysis file. Throws Error(input) for a name that is taken.
    const std::shared_ptr<const OwnProcedure>& add(const std::filesystem::path& file,
                                                   const std::string& reference, const InputFiles& files);

    // Throws Error(input) with the nearest known name.
    const Procedure& find(std::string_view name) const;
    const OwnProcedure* find_own(std::string_view name) const;  // null for those of the catalogue
    const std::vector<std::shared_ptr<const OwnProcedure>>& own() const { return own_; }

  private:
    AskProgram ask_;
    std::vector<std::shared_ptr<const OwnProcedure>> own_;
};

}  // namespace rt::lab
