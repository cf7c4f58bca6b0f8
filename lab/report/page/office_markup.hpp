// The two markups of office documents behind one face: what is a paragraph, and how pictures and tables are
// written.
#pragma once

#include <memory>
#include <pugixml.hpp>
#include <string>
#include <vector>

#include "lab/formats/zip_archive.hpp"

namespace rt::lab {

class OfficeMarkup {
  public:
    virtual ~OfficeMarkup() = default;

    virtual bool is_text_part(const std::string& entry) const = 0;  // whose tags are filled in
    virtual bool is_body(const std::string& entry) const = 0;
    virtual bool is_paragraph(const pugi::xml_node& node) const = 0;
    virtual bool is_row(const pugi::xml_node& node) const = 0;
    virtual bool is_cell(const pugi::xml_node& node) const = 0;
    virtual bool holds_text(const pugi::xml_node& node) const = 0;  // directly
    virtual bool holds_drawings() const = 0;                        // SVG, else PNG
    // A text with line ends becomes several lines.
    virtual void break_lines(pugi::xml_node text) const = 0;
    // Behind the text; in place of the paragraph where that has nothing else.
    virtual void put_picture(pugi::xml_node text, const std::string& description,
                             const std::string& content) = 0;
    virtual void put_table(pugi::xml_node paragraph,
                           const std::vector<std::vector<std::string>>& rows) const = 0;
    virtual void add_pictures(std::vector<ZipEntry>& entries) const = 0;
};

// Null for another archive.
std::unique_ptr<OfficeMarkup> office_markup(const std::vector<ZipEntry>& entries);
std::unique_ptr<OfficeMarkup> word_markup();
std::unique_ptr<OfficeMarkup> open_document_markup();

}  // namespace rt::lab
