#include "lab/report/page/office_template.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <pugixml.hpp>
#include <sstream>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/page/office_markup.hpp"
#include "lab/report/page/own_template.hpp"

namespace rt::lab {
namespace {

// Of the private use area: no text that is filled in has them.
const std::string opening = "\xEE\x80\x80", closing = "\xEE\x80\x81";

// Texts of one paragraph in their order, without those of paragraphs within it.
void collect_texts(const pugi::xml_node& node, const OfficeMarkup& markup, std::vector<pugi::xml_node>& out) {
    for (pugi::xml_node child : node.children()) {
        if (child.type() == pugi::node_pcdata) {
            if (markup.holds_text(node)) out.push_back(child);
        } else if (!markup.is_paragraph(child)) {
            collect_texts(child, markup, out);
        }
    }
}

template <typename Work>
void each_paragraph(const pugi::xml_node& root, const OfficeMarkup& markup, const Work& work) {
    std::vector<pugi::xml_node> all;
    const auto find = [&](const auto& self, const pugi::xml_node& node) -> void {
        for (pugi::xml_node child : node.children()) {
            if (markup.is_paragraph(child)) all.push_back(child);
            self(self, child);
        }
    };
    find(find, root);
    for (auto& paragraph : all) work(paragraph);
}

// A tag that the program has cut into several spans moves into the first of them.
void join_tags(const std::vector<pugi::xml_node>& texts) {
    std::vector<std::string> parts;
    for (const auto& text : texts) parts.emplace_back(text.value());
    for (std::size_t i = 0; i < parts.size(); ++i) {
        std::size_t from = 0;
        for (;;) {
            // An opening that is itself cut between two spans counts as well.
            while (i + 1 < parts.size() && parts[i].ends_with('{') && !parts[i].ends_with("{{") &&
                   parts[i + 1].starts_with('{')) {
                parts[i] += '{';
                parts[i + 1].erase(0, 1);
            }
            const auto begin = parts[i].find("{{", from);
            if (begin == std::string::npos) break;
            auto end = parts[i].find("}}", begin);
            for (std::size_t k = i + 1; end == std::string::npos && k < parts.size(); ++k) {
                const auto there = parts[k].find('}');
                const auto taken = there == std::string::npos ? parts[k].size() : there + 1;
                parts[i] += parts[k].substr(0, taken);
                parts[k].erase(0, taken);
                if (there != std::string::npos && !parts[k].empty() && parts[k].front() == '}') {
                    parts[i] += '}';
                    parts[k].erase(0, 1);
                }
                end = parts[i].find("}}", begin);
            }
            if (end == std::string::npos) break;
            from = end + 2;
        }
    }
    for (std::size_t i = 0; i < texts.size(); ++i) pugi::xml_node(texts[i]).set_value(parts[i].c_str());
}

std::string text_of(const pugi::xml_node& node, const OfficeMarkup& markup) {
    std::string out;
    const auto add = [&](const auto& self, const pugi::xml_node& from) -> void {
        for (const pugi::xml_node child : from.children()) {
            if (child.type() == pugi::node_pcdata && markup.holds_text(from)) out += child.value();
            self(self, child);
        }
    };
    add(add, node);
    return std::string(trim(out));
}

// "{{#name}}" or "{{/name}}" and nothing else.
bool is_section_tag(const std::string& text) {
    return text.starts_with("{{") && text.ends_with("}}") && text.find("{{", 2) == std::string::npos &&
           text.size() > 5 && (text[2] == '#' || text[2] == '^' || text[2] == '/');
}

void put_text_before(pugi::xml_node& node, const std::string& text) {
    node.parent().insert_child_before(pugi::node_pcdata, node).set_value(text.c_str());
}

// The name of a section that opens in one cell of a row and closes in another of it.
std::string opened_across(const pugi::xml_node& row, const OfficeMarkup& markup) {
    std::vector<std::string> cells;
    for (const pugi::xml_node cell : row.children()) {
        if (markup.is_cell(cell)) cells.push_back(text_of(cell, markup));
    }
    for (std::size_t i = 0; i < cells.size(); ++i) {
        for (auto at = cells[i].find("{{#"); at != std::string::npos; at = cells[i].find("{{#", at + 3)) {
            const auto end = cells[i].find("}}", at);
            if (end == std::string::npos) break;
            const std::string name = cells[i].substr(at + 3, end - at - 3), close = "{{/" + name + "}}";
            if (cells[i].find(close, end) != std::string::npos) continue;
            for (std::size_t k = i + 1; k < cells.size(); ++k)
                if (cells[k].find(close) != std::string::npos) return name;
        }
    }
    return {};
}

void take_out_first(const pugi::xml_node& within, const OfficeMarkup& markup, const std::string& tag) {
    const auto find = [&](const auto& self, pugi::xml_node node) -> bool {
        for (pugi::xml_node child : node.children()) {
            if (child.type() == pugi::node_pcdata && markup.holds_text(node)) {
                std::string text = child.value();
                const auto at = text.find(tag);
                if (at != std::string::npos) {
                    text.erase(at, tag.size());
                    child.set_value(text.c_str());
                    return true;
                }
            } else if (self(self, child)) {
                return true;
            }
        }
        return false;
    };
    find(find, within);
}

// Sections over rows and paragraphs: their tags move to where repeating keeps the document whole.
void lift_sections(pugi::xml_node root, const OfficeMarkup& markup) {
    std::vector<pugi::xml_node> rows;
    const auto find = [&](const auto& self, const pugi::xml_node& node) -> void {
        for (const pugi::xml_node child : node.children()) {
            self(self, child);  // rows of inner tables first
            if (markup.is_row(child)) rows.push_back(child);
        }
    };
    find(find, root);
    for (auto& row : rows) {
        const std::string whole = text_of(row, markup);
        if (is_section_tag(whole)) {
            put_text_before(row, whole);
            row.parent().remove_child(row);
            continue;
        }
        for (std::string name; !(name = opened_across(row, markup)).empty();) {
            take_out_first(row, markup, "{{#" + name + "}}");
            take_out_first(row, markup, "{{/" + name + "}}");
            put_text_before(row, "{{#" + name + "}}");
            row.parent().insert_child_after(pugi::node_pcdata, row).set_value(("{{/" + name + "}}").c_str());
        }
    }
    std::vector<pugi::xml_node> alone;
    each_paragraph(root, markup, [&](pugi::xml_node paragraph) {
        if (is_section_tag(text_of(paragraph, markup))) alone.push_back(paragraph);
    });
    for (auto& paragraph : alone) {
        put_text_before(paragraph, text_of(paragraph, markup));
        paragraph.parent().remove_child(paragraph);
    }
}

std::string text_of_document(const pugi::xml_document& xml) {
    std::ostringstream out;
    xml.save(out, "", pugi::format_raw);
    return out.str();
}

class Filling {
  public:
    Filling(OfficeMarkup& markup, const OfficeParts& parts) : markup_(markup), parts_(parts) {}

    // What marks a figure or a table is replaced, and lines of values become lines of the document.
    void finish(pugi::xml_document& xml, bool may_hold_pictures) {
        each_paragraph(xml, markup_,
                       [&](pugi::xml_node paragraph) { put_parts(paragraph, may_hold_pictures); });
        std::vector<pugi::xml_node> broken;
        each_paragraph(xml, markup_, [&](const pugi::xml_node& paragraph) {
            std::vector<pugi::xml_node> texts;
            collect_texts(paragraph, markup_, texts);
            for (auto& text : texts)
                if (std::string_view(text.value()).find('\n') != std::string_view::npos)
                    broken.push_back(text);
        });
        for (auto& text : broken) markup_.break_lines(text);
    }

  private:
    void put_parts(pugi::xml_node paragraph, bool may_hold_pictures) {
        std::vector<pugi::xml_node> texts;
        collect_texts(paragraph, markup_, texts);
        for (auto& text : texts) {
            std::string value = text.value();
            for (auto at = value.find(opening); at != std::string::npos; at = value.find(opening)) {
                const auto end = value.find(closing, at);
                const std::string inside = value.substr(at + opening.size(), end - at - opening.size());
                const auto space = inside.find(' ');
                const std::string kind = inside.substr(0, space), test = inside.substr(space + 1);
                value.erase(at, end + closing.size() - at);
                text.set_value(value.c_str());
                if (kind == "table") {
                    const auto rows = parts_.tables.find(test);
                    if (rows != parts_.tables.end()) markup_.put_table(paragraph, rows->second);
                    continue;
                }
                const auto file = parts_.figures.find(test);
                if (file == parts_.figures.end() || !may_hold_pictures) continue;
                markup_.put_picture(
                    text, test,
                    markup_.holds_drawings() ? read_file(file->second) : parts_.as_png(file->second));
            }
        }
    }

    OfficeMarkup& markup_;
    const OfficeParts& parts_;
};

}  // namespace

bool is_office_document(const std::filesystem::path& name) {
    const std::string ending = lower(name.extension().string());
    return ending == ".docx" || ending == ".odt";
}

std::string marked_place(const std::string& kind, const std::string& test) {
    return opening + kind + " " + test + closing;
}

std::vector<ZipEntry> fill_office(const std::string& document, const std::string& file,
                                  const PageData& values, const OfficeParts& parts) {
    auto entries = read_zip(document, file);
    const auto markup = office_markup(entries);
    if (!markup) fail_input(file, "is no document of WordprocessingML (.docx) or OpenDocument text (.odt)");
    for (auto& entry : entries) {
        if (!markup->is_text_part(entry.name)) continue;
        pugi::xml_document xml;
        constexpr unsigned how = pugi::parse_full | pugi::parse_ws_pcdata;
        if (const auto read = xml.load_buffer(entry.content.data(), entry.content.size(), how); !read)
            fail_input(file, entry.name + " is no XML: " + read.description());
        each_paragraph(xml, *markup, [&](const pugi::xml_node& paragraph) {
            std::vector<pugi::xml_node> texts;
            collect_texts(paragraph, *markup, texts);
            join_tags(texts);
        });
        lift_sections(xml, *markup);
        std::string text = text_of_document(xml);
        // What is filled in is text, never markup.
        for (const char* triple : {"{{{", "}}}"}) {
            for (auto at = text.find(triple); at != std::string::npos; at = text.find(triple, at))
                text.erase(at, 1);
        }
        const std::string filled = fill_template(text, file + ", " + entry.name, values, true);
        if (const auto read = xml.load_buffer(filled.data(), filled.size(), how); !read)
            fail_input(file, entry.name +
                                 " does not stay a document when it is filled: a section opens in one "
                                 "place and closes where it cannot; put its tags alone into paragraphs");
        Filling(*markup, parts).finish(xml, markup->is_body(entry.name));
        entry.content = text_of_document(xml);
    }
    markup->add_pictures(entries);
    return entries;
}

void write_office(const std::vector<ZipEntry>& document, const std::filesystem::path& file) {
    ZipFile out(file);
    const auto is_type = [](const ZipEntry& entry) { return entry.name == "mimetype"; };
    for (const auto& entry : document)
        if (is_type(entry)) out.add(entry.name, entry.content, true);
    for (const auto& entry : document)
        if (!is_type(entry)) out.add(entry.name, entry.content);
    out.finish();
}

}  // namespace rt::lab
