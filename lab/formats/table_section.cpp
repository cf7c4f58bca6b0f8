#include "lab/formats/table_section.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

constexpr std::array table_keys{
    KeyInfo{"file", Key::text, true,
            "CSV file beside the campaign; made with its headings when it is not there"},
    KeyInfo{"column", Key::tables, true, "its columns, from the left"},
};
constexpr std::array column_keys{
    KeyInfo{"label", Key::text, true, "heading; of columns for each point, what stands before the point"},
    KeyInfo{"fact", Key::text, false,
            "what is known of the run: unit.serial, operator, started, environment.temperature ..., verdict "
            "of the "
            "whole run, or run for its folder"},
    KeyInfo{"test", Key::text, false, "or a result of this test"},
    KeyInfo{"result", Key::text, false,
            "name of the result; margin or verdict for those of its worst finding"},
    KeyInfo{"unit", Key::text, false, "unit that values are written in; without prefix where it is left out"},
    KeyInfo{"each_point", Key::flag, false, "a column for each point of the test instead of its first"},
};

}  // namespace

const SectionInfo table_section{"[table]", "A table that grows by one row a run.", table_keys};
const SectionInfo column_section{"[[table.column]]", "One of its columns.", column_keys};

GrowingTable read_growing_table(const ConfigSection& section, const std::filesystem::path& campaign) {
    GrowingTable out;
    out.file = campaign.parent_path() / section.text("file");
    for (const auto& part : section.tables("column", column_section)) {
        TableColumn column;
        column.label = part.text("label");
        column.fact = part.text("fact");
        column.test = part.text("test");
        column.result = part.text("result");
        column.each_point = part.flag("each_point");
        if (column.fact.empty() == column.test.empty())
            part.fail("label", "a column has a fact, or a test and a result");
        if (!column.test.empty() && column.result.empty()) part.fail("test", "name the result too");
        column.unit_text = part.text("unit");
        if (!column.unit_text.empty() && !parse_unit(column.unit_text))
            part.fail("unit", "unknown unit " + in_quotes(column.unit_text));
        out.columns.push_back(std::move(column));
    }
    if (out.columns.empty()) section.fail("column", "the table has no columns");
    return out;
}

}  // namespace rt::lab
