// OpenDocument text (ISO/IEC 26300-1, OpenDocument 1.2).
#include <fmt/core.h>

#include <algorithm>
#include <cstring>

#include "core/base/text.hpp"
#include "lab/report/page/office_markup.hpp"

namespace rt::lab {
namespace {

bool odt_named(const pugi::xml_node& node, const char* name) {
    return std::strcmp(node.name(), name) == 0;
}

void odt_set(pugi::xml_node node, const char* name, const std::string& value) {
    node.append_attribute(name).set_value(value.c_str());
}

// The outermost element of the document that a node stands in.
pugi::xml_node element_of(const pugi::xml_node& node) {
    for (const pugi::xml_node child : node.root().children())
        if (child.type() == pugi::node_element) return child;
    return {};
}

class OpenDocumentMarkup : public OfficeMarkup {
    bool is_text_part(const std::string& entry) const override {
        return entry == "content.xml" || entry == "styles.xml";  // headers and footers stand in the latter
    }
    bool is_body(const std::string& entry) const override { return entry == "content.xml"; }
    bool is_paragraph(const pugi::xml_node& node) const override {
        return odt_named(node, "text:p") || odt_named(node, "text:h");
    }
    bool is_row(const pugi::xml_node& node) const override { return odt_named(node, "table:table-row"); }
    bool is_cell(const pugi::xml_node& node) const override { return odt_named(node, "table:table-cell"); }
    bool holds_text(const pugi::xml_node& node) const override {
        return is_paragraph(node) || odt_named(node, "text:span") || odt_named(node, "text:a");
    }
    bool holds_drawings() const override { return true; }

    void break_lines(pugi::xml_node text) const override {
        pugi::xml_node parent = text.parent();
        const std::string whole = text.value();
        const auto lines = split(std::string_view(whole), '\n');
        text.set_value(std::string(lines.front()).c_str());
        for (std::size_t i = 1; i < lines.size(); ++i) {
            pugi::xml_node end = parent.insert_child_after("text:line-break", text);
            text = parent.insert_child_after(pugi::node_pcdata, end);
            text.set_value(std::string(lines[i]).c_str());
        }
    }

    void put_picture(pugi::xml_node text, const std::string& description, const std::string& svg) override {
        pictures_.push_back(svg);
        const std::string number = std::to_string(pictures_.size());
        // As high as its view box says: "0 0 960 500".
        double ratio = 500.0 / 960;
        if (const auto at = svg.find("viewBox=\""); at != std::string::npos) {
            const auto sizes =
                split(std::string_view(svg).substr(at + 9, svg.find('"', at + 9) - at - 9), ' ');
            const auto width = sizes.size() == 4 ? to_double(sizes[2]) : std::nullopt;
            const auto height = sizes.size() == 4 ? to_double(sizes[3]) : std::nullopt;
            if (width && height && *width > 0) ratio = *height / *width;
        }
        pugi::xml_node frame = text.parent().insert_child_after("draw:frame", text);
        odt_set(frame, "draw:name", "figure " + number);
        odt_set(frame, "text:anchor-type", "as-char");
        odt_set(frame, "svg:width", "16cm"),
            odt_set(frame, "svg:height", fmt::format("{:.2f}cm", 16 * ratio));
        pugi::xml_node image = frame.append_child("draw:image");
        odt_set(image, "xlink:href", picture(pictures_.size())), odt_set(image, "xlink:type", "simple");
        odt_set(image, "xlink:show", "embed"), odt_set(image, "xlink:actuate", "onLoad");
        frame.append_child("svg:desc").append_child(pugi::node_pcdata).set_value(description.c_str());
        // Their prefixes may be unknown to a document without pictures.
        pugi::xml_node root = element_of(frame);
        for (const auto& [prefix, uri] :
             {std::pair("xmlns:draw", "urn:oasis:names:tc:opendocument:xmlns:drawing:1.0"),
              {"xmlns:svg", "urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0"},
              {"xmlns:xlink", "http://www.w3.org/1999/xlink"}})
            if (!root.attribute(prefix)) odt_set(root, prefix, uri);
    }

    void put_table(pugi::xml_node paragraph,
                   const std::vector<std::vector<std::string>>& rows) const override {
        pugi::xml_node root = element_of(paragraph);
        for (const auto& [prefix, uri] :
             {std::pair("xmlns:table", "urn:oasis:names:tc:opendocument:xmlns:table:1.0"),
              {"xmlns:style", "urn:oasis:names:tc:opendocument:xmlns:style:1.0"},
              {"xmlns:fo", "urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0"}})
            if (!root.attribute(prefix)) odt_set(root, prefix, uri);
        add_styles(root);
        pugi::xml_node table = paragraph.parent().insert_child_before("table:table", paragraph);
        std::size_t columns = 0;
        for (const auto& row : rows) columns = std::max(columns, row.size());
        odt_set(table.append_child("table:table-column"), "table:number-columns-repeated",
                std::to_string(columns));
        pugi::xml_node heading = table.append_child("table:table-header-rows");
        for (std::size_t r = 0; r < rows.size(); ++r) {
            pugi::xml_node row = (r == 0 ? heading : table).append_child("table:table-row");
            for (std::size_t c = 0; c < columns; ++c) {
                pugi::xml_node cell = row.append_child("table:table-cell"), text;
                odt_set(cell, "table:style-name", "RareTallyCell"),
                    odt_set(cell, "office:value-type", "string");
                text = cell.append_child("text:p");
                odt_set(text, "text:style-name", r == 0 ? "RareTallyHeading" : "RareTallyText");
                text.append_child(pugi::node_pcdata).set_value(c < rows[r].size() ? rows[r][c].c_str() : "");
            }
        }
    }

    static void add_styles(pugi::xml_node root) {
        pugi::xml_node styles = root.child("office:automatic-styles");
        if (!styles || styles.find_child_by_attribute("style:name", "RareTallyCell")) return;
        const auto add = [&](const char* name, const char* family) {
            pugi::xml_node style = styles.append_child("style:style");
            odt_set(style, "style:name", name), odt_set(style, "style:family", family);
            return style;
        };
        pugi::xml_node cell = add("RareTallyCell", "table-cell").append_child("style:table-cell-properties");
        odt_set(cell, "fo:border", "0.5pt solid #9aa5ab"), odt_set(cell, "fo:padding", "0.08cm");
        for (const char* name : {"RareTallyText", "RareTallyHeading"}) {
            pugi::xml_node text = add(name, "paragraph").append_child("style:text-properties");
            odt_set(text, "fo:font-size", "9pt");
            if (std::strcmp(name, "RareTallyHeading") == 0) odt_set(text, "fo:font-weight", "bold");
        }
    }

    void add_pictures(std::vector<ZipEntry>& entries) const override {
        for (auto& entry : entries) {
            if (entry.name != "META-INF/manifest.xml") continue;
            std::string more;
            for (std::size_t i = 1; i <= pictures_.size(); ++i)
                more += fmt::format(
                    "<manifest:file-entry manifest:full-path=\"{}\" manifest:media-type=\"image/svg+xml\"/>",
                    picture(i));
            const auto at = entry.content.rfind("</manifest:manifest>");
            if (at != std::string::npos) entry.content.insert(at, more);
        }
        for (std::size_t i = 0; i < pictures_.size(); ++i) entries.push_back({picture(i + 1), pictures_[i]});
    }

    static std::string picture(std::size_t number) {
        return "Pictures/rare-tally-" + std::to_string(number) + ".svg";
    }

    std::vector<std::string> pictures_;
};

}  // namespace

std::unique_ptr<OfficeMarkup> open_document_markup() {
    return std::make_unique<OpenDocumentMarkup>();
}

}  // namespace rt::lab
