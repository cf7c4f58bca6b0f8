// WordprocessingML (ECMA-376 part 1, clauses 17 and 20.4).
#include <fmt/core.h>

#include <algorithm>
#include <cstring>

#include "core/base/text.hpp"
#include "lab/report/page/office_markup.hpp"

namespace rt::lab {
namespace {

bool word_named(const pugi::xml_node& node, const char* name) {
    return std::strcmp(node.name(), name) == 0;
}

void word_set(pugi::xml_node node, const char* name, const std::string& value) {
    node.append_attribute(name).set_value(value.c_str());
}

class WordMarkup : public OfficeMarkup {
    static constexpr const char* body = "word/document.xml";

    bool is_text_part(const std::string& entry) const override {
        return entry == body || ((entry.starts_with("word/header") || entry.starts_with("word/footer")) &&
                                 entry.ends_with(".xml"));
    }
    bool is_body(const std::string& entry) const override { return entry == body; }
    bool is_paragraph(const pugi::xml_node& node) const override { return word_named(node, "w:p"); }
    bool is_row(const pugi::xml_node& node) const override { return word_named(node, "w:tr"); }
    bool is_cell(const pugi::xml_node& node) const override { return word_named(node, "w:tc"); }
    bool holds_text(const pugi::xml_node& node) const override { return word_named(node, "w:t"); }
    bool holds_drawings() const override { return false; }

    void break_lines(pugi::xml_node text) const override {
        pugi::xml_node holder = text.parent(), run = holder.parent();
        const std::string whole = text.value();
        const auto lines = split(std::string_view(whole), '\n');
        text.set_value(std::string(lines.front()).c_str());
        for (std::size_t i = 1; i < lines.size(); ++i) {
            pugi::xml_node end = run.insert_child_after("w:br", holder);
            holder = run.insert_child_after("w:t", end);
            word_set(holder, "xml:space", "preserve");
            holder.append_child(pugi::node_pcdata).set_value(std::string(lines[i]).c_str());
        }
    }

    void put_picture(pugi::xml_node text, const std::string& description, const std::string& png) override {
        pictures_.push_back(png);
        const std::string number = std::to_string(pictures_.size());
        // PNG: width and height stand at bytes 16 and 20, the most significant byte first.
        const auto at = [&](std::size_t place) {
            double value = 0;
            for (std::size_t i = 0; i < 4; ++i)
                value =
                    value * 256 + (place + i < png.size() ? static_cast<unsigned char>(png[place + i]) : 0);
            return std::max(value, 1.0);
        };
        constexpr double wide_emu = 5'760'000;  // 16 cm
        const std::string width = fmt::format("{:.0f}", wide_emu),
                          height = fmt::format("{:.0f}", wide_emu * at(20) / at(16));
        pugi::xml_node run = text.parent().parent();
        pugi::xml_node picture_run = run.parent().insert_child_after("w:r", run);
        pugi::xml_node line = picture_run.append_child("w:drawing").append_child("wp:inline");
        word_set(line, "xmlns:wp", "http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing");
        pugi::xml_node extent = line.append_child("wp:extent");
        word_set(extent, "cx", width), word_set(extent, "cy", height);
        pugi::xml_node properties = line.append_child("wp:docPr");
        word_set(properties, "id", std::to_string(9000 + pictures_.size()));
        word_set(properties, "name", "Figure " + number), word_set(properties, "descr", description);
        pugi::xml_node graphic = line.append_child("a:graphic");
        word_set(graphic, "xmlns:a", "http://schemas.openxmlformats.org/drawingml/2006/main");
        pugi::xml_node data = graphic.append_child("a:graphicData");
        const char* uri = "http://schemas.openxmlformats.org/drawingml/2006/picture";
        word_set(data, "uri", uri);
        pugi::xml_node picture = data.append_child("pic:pic");
        word_set(picture, "xmlns:pic", uri);
        pugi::xml_node about = picture.append_child("pic:nvPicPr"), its = about.append_child("pic:cNvPr");
        word_set(its, "id", "0"), word_set(its, "name", "figure-" + number + ".png");
        about.append_child("pic:cNvPicPr");
        pugi::xml_node fill = picture.append_child("pic:blipFill"), blip = fill.append_child("a:blip");
        word_set(blip, "xmlns:r", "http://schemas.openxmlformats.org/officeDocument/2006/relationships");
        word_set(blip, "r:embed", relation(pictures_.size()));
        fill.append_child("a:stretch").append_child("a:fillRect");
        pugi::xml_node shape = picture.append_child("pic:spPr"), frame = shape.append_child("a:xfrm");
        pugi::xml_node corner = frame.append_child("a:off"), size = frame.append_child("a:ext");
        word_set(corner, "x", "0"), word_set(corner, "y", "0"), word_set(size, "cx", width),
            word_set(size, "cy", height);
        pugi::xml_node geometry = shape.append_child("a:prstGeom");
        word_set(geometry, "prst", "rect");
        geometry.append_child("a:avLst");
    }

    void put_table(pugi::xml_node paragraph,
                   const std::vector<std::vector<std::string>>& rows) const override {
        pugi::xml_node table = paragraph.parent().insert_child_before("w:tbl", paragraph);
        pugi::xml_node properties = table.append_child("w:tblPr");
        pugi::xml_node width = properties.append_child("w:tblW");
        word_set(width, "w:w", "5000"), word_set(width, "w:type", "pct");
        pugi::xml_node borders = properties.append_child("w:tblBorders");
        for (const char* side : {"w:top", "w:left", "w:bottom", "w:right", "w:insideH", "w:insideV"}) {
            pugi::xml_node border = borders.append_child(side);
            word_set(border, "w:val", "single"), word_set(border, "w:sz", "4"),
                word_set(border, "w:color", "9AA5AB");
        }
        std::size_t columns = 0;
        for (const auto& row : rows) columns = std::max(columns, row.size());
        pugi::xml_node grid = table.append_child("w:tblGrid");
        for (std::size_t i = 0; i < columns; ++i)
            word_set(grid.append_child("w:gridCol"), "w:w",
                     std::to_string(9000 / std::max<std::size_t>(1, columns)));
        for (std::size_t r = 0; r < rows.size(); ++r) {
            pugi::xml_node row = table.append_child("w:tr");
            if (r == 0) row.append_child("w:trPr").append_child("w:tblHeader");
            for (const auto& cell : rows[r]) {
                pugi::xml_node run = row.append_child("w:tc").append_child("w:p").append_child("w:r");
                pugi::xml_node look = run.append_child("w:rPr");
                if (r == 0) look.append_child("w:b");
                word_set(look.append_child("w:sz"), "w:val", "18");
                pugi::xml_node text = run.append_child("w:t");
                word_set(text, "xml:space", "preserve");
                text.append_child(pugi::node_pcdata).set_value(cell.c_str());
            }
        }
    }

    void add_pictures(std::vector<ZipEntry>& entries) const override {
        if (pictures_.empty()) return;
        for (auto& entry : entries) {
            if (entry.name == "word/_rels/document.xml.rels") {
                std::string more;
                for (std::size_t i = 1; i <= pictures_.size(); ++i)
                    more += fmt::format(
                        "<Relationship Id=\"{}\" "
                        "Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/image\" "
                        "Target=\"media/rare-tally-{}.png\"/>",
                        relation(i), i);
                const auto at = entry.content.rfind("</Relationships>");
                if (at != std::string::npos) entry.content.insert(at, more);
            }
            if (entry.name == "[Content_Types].xml" &&
                entry.content.find("Extension=\"png\"") == std::string::npos) {
                const auto at = entry.content.rfind("</Types>");
                if (at != std::string::npos)
                    entry.content.insert(at, "<Default Extension=\"png\" ContentType=\"image/png\"/>");
            }
        }
        for (std::size_t i = 0; i < pictures_.size(); ++i)
            entries.push_back({fmt::format("word/media/rare-tally-{}.png", i + 1), pictures_[i]});
    }

    static std::string relation(std::size_t number) { return "rIdRareTally" + std::to_string(number); }

    std::vector<std::string> pictures_;
};

}  // namespace

std::unique_ptr<OfficeMarkup> word_markup() {
    return std::make_unique<WordMarkup>();
}

std::unique_ptr<OfficeMarkup> office_markup(const std::vector<ZipEntry>& entries) {
    for (const auto& entry : entries) {
        if (entry.name == "word/document.xml") return word_markup();
        if (entry.name == "mimetype" && trim(entry.content) == "application/vnd.oasis.opendocument.text")
            return open_document_markup();
    }
    return nullptr;
}

}  // namespace rt::lab
