#include "lab/formats/procedure_library.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "lab/formats/analysis_file.hpp"

namespace rt::lab {

const std::shared_ptr<const OwnProcedure>& ProcedureLibrary::add(const std::filesystem::path& file,
                                                                 const std::string& reference,
                                                                 const InputFiles& files) {
    auto own = read_analysis(file, files, ask_ != nullptr);
    if (find_own(own->analysis.name))
        fail_input(file.string(), "the name " + in_quotes(own->analysis.name) + " is taken by " +
                                      find_own(own->analysis.name)->analysis.file.string());
    own->analysis.reference = reference;
    // Both live as long as the procedure that calls them.
    const Analysis* analysis = &own->analysis;
    own->procedure.measure_inputs = [ask = ask_, analysis](Inputs inputs, const Parameters& parameters) {
        if (!ask) {
            fail_signal("the answer of " + analysis->name +
                        " was not kept, and programs named in a kept run are not started");
        }
        return ask(*analysis, std::move(inputs), parameters);
    };
    return own_.emplace_back(std::move(own));
}

const Procedure& ProcedureLibrary::find(std::string_view name) const {
    if (const OwnProcedure* own = find_own(name)) return own->procedure;
    std::vector<std::string> names;
    for (const auto& entry : procedures()) {
        if (name == entry.name) return entry;
        names.emplace_back(entry.name);
    }
    if (name.starts_with("own.") && own_.empty())
        fail_input(in_quotes(name) +
                   " is an analysis of the user's own: name its file, analyses = [\"FILE\"] in [campaign] or "
                   "--analysis FILE");
    for (const auto& own : own_) names.push_back(own->analysis.name);
    fail_input("unknown procedure " + in_quotes(name) + suggestion(name, names));
}

const OwnProcedure* ProcedureLibrary::find_own(std::string_view name) const {
    for (const auto& own : own_) {
        if (own->analysis.name == name) return own.get();
    }
    return nullptr;
}

}  // namespace rt::lab
