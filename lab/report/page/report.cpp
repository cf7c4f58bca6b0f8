#include "lab/report/page/report.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/report_name.hpp"
#include "lab/report/page/own_template.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/tables.hpp"
#include "reader_script.hpp"
#include "report_template.hpp"

namespace rt::lab {
namespace {

using ReportMustache = kainjow::mustache::mustache;

struct Filled {
    std::filesystem::path file;
    std::string text;
};

// "letter.html.mustache" makes "NAME-letter.html".
std::filesystem::path made_name(const std::filesystem::path& own, const std::string& name) {
    auto made = own.filename();
    if (made.extension() == ".mustache") made = made.stem();
    return name + "-" + slug(made.string());
}

std::string report_page(PageData page) {
    ReportMustache mustache{std::string(report_template)};
    if (!mustache.is_valid()) throw Error(ErrorKind::internal, "report template", mustache.error_message());
    page.set("reader_script", std::string(reader_script));
    page.set("reader_style", std::string(reader_style));
    return mustache.render(page);
}

std::vector<std::filesystem::path> templates_of(const PageRuns& runs, const ReportOptions& options) {
    std::vector<std::filesystem::path> out = options.templates;
    for (const auto& file : runs.front()->record().files) {
        if (file.kind == "template") out.push_back(runs.front()->folder() / file.file);
    }
    return out;
}

}  // namespace

WrittenReport write_report(const std::vector<const RunData*>& runs, const std::filesystem::path& folder,
                           const ReportOptions& options) {
    const RunRecord& first = runs.front()->record();
    const std::string pattern = options.name.empty() ? first.fact("report.file_name") : options.name;
    const std::string name = report_name(pattern, first);
    auto own = templates_of(runs, options);
    const bool incomplete =
        std::any_of(runs.begin(), runs.end(), [](const RunData* run) { return !run->record().complete(); });
    const bool altered =
        std::any_of(runs.begin(), runs.end(), [](const RunData* run) { return !run->altered().empty(); });
    WrittenReport out;
    if (altered && !options.templates.empty())
        fail_input(own.front().string(), "an own template is not filled with a run that was altered");
    if (altered) {
        // Without the mark of the page they would look sound.
        for (const auto& file : own) out.left_out.push_back(file.string() + ": the run was altered");
        own.clear();
    }
    if (!own.empty()) {
        // Slips in templates are found before figures are drawn.
        ReportFigures none;
        none.watches.resize(runs.size());
        const PageData values = template_values(report_values(runs, none), runs, none, true);
        std::erase_if(own, [&](const std::filesystem::path& file) {
            try {
                fill_template(read_file(file), file.string(), values, true);
                return false;
            } catch (const Error& error) {
                if (!incomplete || error.kind() != ErrorKind::input) throw;
                out.left_out.push_back(std::string(error.what()) + " (the run is not complete)");
                return true;
            }
        });
    }
    make_folder(folder);
    const ReportFigures figures = draw_figures(runs, folder, options.figures_per_test);
    const PageData page = report_values(runs, figures);
    std::vector<Filled> filled{{folder / (name + ".html"), report_page(page)}};
    for (const auto& file : own) {
        const bool markup = makes_markup(file);
        filled.push_back({folder / made_name(file, name),
                          fill_template(read_file(file), file.string(),
                                        template_values(page, runs, figures, markup), markup)});
    }
    for (std::size_t part = 0; part < runs.size(); ++part) {
        const std::string number = part ? "-" + std::to_string(part + 1) : "";
        filled.push_back({folder / ("results" + number + ".csv"), findings_csv(runs[part]->record())});
        filled.push_back({folder / ("results" + number + ".json"), run_json(runs[part]->record())});
    }
    for (const auto& each : filled) {
        write_file(each.file, each.text);
        out.files.push_back(each.file);
    }
    out.html = out.files.front();
    out.figures = figures.files().size();
    out.figure_folder = folder / "figures";
    return out;
}

}  // namespace rt::lab
