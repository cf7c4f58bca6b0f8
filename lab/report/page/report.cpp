#include "lab/report/page/report.hpp"

#include <algorithm>
#include <deque>
#include <future>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/file_writer.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/report_name.hpp"
#include "lab/report/convert.hpp"
#include "lab/report/page/office_template.hpp"
#include "lab/report/page/own_template.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/tables.hpp"
#include "point_template.hpp"
#include "reader_script.hpp"
#include "report_template.hpp"
#include "rows_template.hpp"

namespace rt::lab {
namespace {

using ReportMustache = kainjow::mustache::mustache;

struct Filled {
    std::filesystem::path file;
    std::string text;
    std::vector<ZipEntry> document = {};  // in place of a text
};

TemplateKind kind_of_template(const std::filesystem::path& file) {
    if (is_office_document(file)) return TemplateKind::office;
    return makes_markup(file) ? TemplateKind::markup : TemplateKind::text;
}

Filled fill(const std::filesystem::path& own, const std::filesystem::path& target, const PageData& values,
            const OfficeParts& parts) {
    const TemplateKind kind = kind_of_template(own);
    if (kind == TemplateKind::office)
        return {target, {}, fill_office(read_file(own), own.string(), values, parts)};
    return {target, fill_template(read_file(own), own.string(), values, kind == TemplateKind::markup)};
}

// "letter.html.mustache" makes "NAME-letter.html".
std::filesystem::path made_name(const std::filesystem::path& own, const std::string& name) {
    auto made = own.filename();
    if (made.extension() == ".mustache") made = made.stem();
    return name + "-" + slug(made.string());
}

using PagePart = kainjow::mustache::partial;

// Links to points that a report without its appendix does not show are words only.
std::string without_dangling(const std::string& page) {
    const std::string begin = "<a href=\"#point-";
    std::string out;
    std::size_t kept = 0;
    for (std::size_t at = 0; (at = page.find(begin, at)) != std::string::npos;) {
        const auto name = at + begin.size() - 6, quote = page.find('"', name), close = page.find('>', quote);
        const auto end = page.find("</a>", close);
        if (end == std::string::npos) break;
        if (page.find("id=\"" + page.substr(name, quote - name) + "\"") == std::string::npos) {
            out.append(page, kept, at - kept);
            out.append(page, close + 1, end - close - 1);
            kept = end + 4;
        }
        at = end;
    }
    return out.append(page, kept, std::string::npos);
}

std::string report_page(PageData page, const ReportOptions& options, bool summary) {
    const auto text = [&](const char* part) { return in_language(part, options.language); };
    ReportMustache mustache{text(report_template)};
    if (!mustache.is_valid()) throw Error(ErrorKind::internal, "report template", mustache.error_message());
    page.set("reader_script", std::string(reader_script));
    page.set("reader_style", std::string(reader_style));
    page.set("language", options.language.code);
    page.set("appendix", options.appendix);
    PageData signatures = page_list();
    for (const auto& worth : options.signatures) signatures << PageData{"text", worth};
    page.set("seal_signatures", signatures);
    page.set("point_section", PageData{PagePart([&] { return text(point_template); })});
    page.set("rows_table", PageData{PagePart([&] { return text(rows_template); })});
    const std::string out = mustache.render(page);
    return options.appendix && !summary ? out : without_dangling(out);
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
    // Of a run that was cut short, or of which tests were chosen, not everything is there to be named.
    const bool partial = std::any_of(runs.begin(), runs.end(), [](const RunData* run) {
        return !run->record().complete() || !run->record().head.selection.empty();
    });
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
        const PageData page = report_values(runs, none);
        const OfficeParts parts = office_parts(runs, none);
        std::erase_if(own, [&](const std::filesystem::path& file) {
            try {
                fill(file, {}, template_values(page, runs, none, kind_of_template(file)), parts);
                return false;
            } catch (const Error& error) {
                if (!partial || error.kind() != ErrorKind::input) throw;
                out.left_out.push_back(std::string(error.what()) + " (the run is not complete)");
                return true;
            }
        });
    }
    make_folder(folder);
    // The tables are written beside the page, and are there when all is.
    std::deque<FileWriter> tables;
    for (std::size_t part = 0; part < runs.size(); ++part) {
        const std::string number = part ? "-" + std::to_string(part + 1) : "";
        for (const char* ending : {".csv", ".json"})
            tables.emplace_back(folder / ("results" + number + ending));
    }
    std::future<void> tables_written = std::async(std::launch::async, [&] {
        for (std::size_t part = 0; part < runs.size(); ++part) {
            const RunRecord& run = runs[part]->record();
            put_findings_csv(run, [&](std::string_view text) { tables[2 * part].write(text); });
            put_run_json(run, [&](std::string_view text) { tables[2 * part + 1].write(text); });
        }
    });
    const ReportFigures figures = draw_figures(runs, folder, options.figures_per_test);
    const PageData page = report_values(runs, figures);
    std::vector<Filled> filled{{folder / (name + ".html"), report_page(page, options, summarised(runs))}};
    OfficeParts parts = office_parts(runs, figures);
    parts.as_png = [&](const std::filesystem::path& svg) { return png_of(svg, folder); };
    for (const auto& file : own)
        filled.push_back(fill(file, folder / made_name(file, name),
                              template_values(page, runs, figures, kind_of_template(file)), parts));
    tables_written.get();
    for (auto& table : tables) table.finish();
    for (const auto& each : filled) {
        if (each.document.empty())
            write_file(each.file, each.text);
        else
            write_office(each.document, each.file);
        out.files.push_back(each.file);
    }
    for (const auto& table : tables) out.files.push_back(table.path());
    out.html = out.files.front();
    out.figures = figures.files().size();
    out.figure_folder = folder / "figures";
    return out;
}

}  // namespace rt::lab
