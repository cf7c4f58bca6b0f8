// Templates that are documents of office programs.
#include <doctest/doctest.h>

#include <pugixml.hpp>

#include "lab/formats/files.hpp"
#include "lab/report/page/office_template.hpp"
#include "lab/report/page/report.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_run.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// The smallest of each form; `body` stands in the text.
std::vector<ZipEntry> word(const std::string& body) {
    return {{"[Content_Types].xml",
             "<Types><Default Extension=\"xml\" ContentType=\"application/xml\"/></Types>"},
            {"word/document.xml", "<?xml version=\"1.0\"?><w:document xmlns:w=\"urn:w\"><w:body>" + body +
                                      "</w:body></w:document>"},
            {"word/_rels/document.xml.rels", "<Relationships></Relationships>"},
            {"word/header1.xml",
             "<w:hdr xmlns:w=\"urn:w\"><w:p><w:r><w:t>{{unit.serial}}</w:t></w:r></w:p></w:hdr>"}};
}
std::vector<ZipEntry> open_document(const std::string& body) {
    return {{"mimetype", "application/vnd.oasis.opendocument.text"},
            {"content.xml",
             "<?xml version=\"1.0\"?><office:document-content xmlns:office=\"urn:o\" "
             "xmlns:text=\"urn:t\"><office:automatic-styles/><office:body><office:text>" +
                 body + "</office:text></office:body></office:document-content>"},
            {"META-INF/manifest.xml", "<manifest:manifest xmlns:manifest=\"urn:m\"></manifest:manifest>"}};
}
std::string par(const std::string& runs) {
    return "<w:p>" + runs + "</w:p>";
}
std::string span(const std::string& text) {
    return "<w:r><w:t>" + text + "</w:t></w:r>";
}

struct Filled {
    std::vector<ZipEntry> entries;
    std::string part(const std::string& name) const {
        for (const auto& entry : entries)
            if (entry.name == name) return entry.content;
        return "(no " + name + ")";
    }
    // All text of a part, paragraphs and cells parted by bars.
    std::string text(const std::string& name) const {
        pugi::xml_document xml;
        REQUIRE(xml.load_string(part(name).c_str(), pugi::parse_full | pugi::parse_ws_pcdata));
        std::string out;
        const auto walk = [&](const auto& self, const pugi::xml_node& node) -> void {
            for (const pugi::xml_node child : node.children()) {
                if (child.type() == pugi::node_pcdata) out += child.value();
                self(self, child);
                const std::string name_of = child.name();
                if (name_of == "w:p" || name_of == "text:p") out += "|";
                if (name_of == "w:br" || name_of == "text:line-break") out += "/";
            }
        };
        walk(walk, xml);
        return out;
    }
};

struct Office {
    TestFolder folder;
    Office() {
        make_counted_run(folder / "run", {{"level", "<S>&1", {1, 2, -3}}, {"other.test", "<S>&1", {4}}});
    }
    Filled fill(const std::vector<ZipEntry>& document, const std::string& name = "own.docx") {
        write_office(document, folder / name);
        const RunData run(folder / "run");
        ReportFigures none;
        none.watches.resize(1);
        const OfficeParts parts = office_parts({&run}, none);
        PageData values = template_values(report_values({&run}, none), {&run}, none, TemplateKind::office);
        return {fill_office(read_file(folder / name), name, values, parts)};
    }
    std::string refused(const std::vector<ZipEntry>& document) {
        return input_error([&] { fill(document); });
    }
};

}  // namespace

TEST_CASE("tags are found whatever spans they are cut into, values stay text, headers too") {
    Office office;
    const Filled filled =
        office.fill(word(par(span("No. {") + span("{unit") + span(".ser") + span("ial}") + span("}!")) +
                         par(span("{{{unit.serial}}}"))));
    CHECK(filled.text("word/document.xml") == "No. <S>&1!|<S>&1|");
    CHECK(filled.text("word/header1.xml") == "<S>&1|");
    CHECK(filled.part("word/document.xml").find("&lt;S&gt;&amp;1") != std::string::npos);
}

TEST_CASE("a section repeats the row, the paragraphs or the rows between its tags") {
    Office office;
    const auto cell = [](const std::string& text) { return "<w:tc>" + par(span(text)) + "</w:tc>"; };
    const auto row = [](const std::string& cells) { return "<w:tr>" + cells + "</w:tr>"; };
    const Filled rows = office.fill(
        word("<w:tbl>" + row(cell("head") + cell("er")) +
             row(cell("{{#findings}}{{verdict}}") + cell("{{value}}{{/findings}}")) + "</w:tbl>"));
    CHECK(rows.text("word/document.xml").starts_with("head|er|FAIL|"));
    pugi::xml_document xml;
    REQUIRE(xml.load_string(rows.part("word/document.xml").c_str()));
    const auto table = xml.document_element().child("w:body").child("w:tbl");
    CHECK(std::distance(table.children("w:tr").begin(), table.children("w:tr").end()) == 1 + 4);
    const Filled paragraphs =
        office.fill(word(par(span("{{#by_") + span("test}}")) + par(span("{{title}}: {{fail}} fail")) +
                         par(span("{{/by_test}}"))));
    CHECK(paragraphs.text("word/document.xml") == "level: 1 fail|other.test: 0 fail|");
    const Filled whole_rows = office.fill(word("<w:tbl>" + row(cell("{{#by_test}}") + cell("")) +
                                               row(cell("{{title}}") + cell("x")) +
                                               row(cell("{{/by_test}}") + cell("")) + "</w:tbl>"));
    CHECK(whole_rows.text("word/document.xml") == "level|x|other.test|x|");
    // What does not hold is passed over.
    CHECK(office.fill(word(par(span("{{#was_altered}}altered{{/was_altered}}") + span("sound"))))
              .text("word/document.xml") == "sound|");
}

TEST_CASE("figures and tables in both forms") {
    Office office;
    const Filled docx = office.fill(word(par(span("{{test.level.table}}")) + par(span("behind"))));
    pugi::xml_document xml;
    REQUIRE(xml.load_string(docx.part("word/document.xml").c_str()));
    const auto table = xml.document_element().child("w:body").child("w:tbl");
    REQUIRE(table);
    CHECK(std::distance(table.children("w:tr").begin(), table.children("w:tr").end()) == 1 + 3);
    CHECK(docx.text("word/document.xml").find("verdict|") != std::string::npos);
    const Filled odt =
        office.fill(open_document("<text:p>{{test.level.table}}</text:p><text:p>x</text:p>"), "own.odt");
    CHECK(odt.part("content.xml").find("<table:table-header-rows>") != std::string::npos);
    CHECK(odt.part("content.xml").find("RareTallyCell") != std::string::npos);
    CHECK(odt.entries.front().name == "mimetype");
}

TEST_CASE("the report fills documents with its figures; the shipped certificate among them") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"supply-emission", "SN-1", {1, 2, -3}}, {"sensitivity", "SN-1", {4}}});
    const RunData run(folder / "run");
    ReportOptions options;
    write_office(
        open_document("<text:p>{{unit.serial}}</text:p><text:p>{{test.supply-emission.figure}}</text:p>"),
        folder / "own.odt");
    options.templates = {std::filesystem::path(RT_SOURCE) / "demo/certificate.docx", folder / "own.odt"};
    const auto written = write_report({&run}, folder / "out", options);
    CHECK(written.left_out.empty());
    const Filled docx{read_zip(read_file(folder / "out/report-certificate.docx"), "c")};
    CHECK(docx.part("word/media/rare-tally-1.png").starts_with("\x89PNG"));
    CHECK(docx.part("word/_rels/document.xml.rels").find("media/rare-tally-1.png") != std::string::npos);
    CHECK(docx.part("[Content_Types].xml").find("image/png") != std::string::npos);
    CHECK(docx.part("word/document.xml").find("r:embed=\"rIdRareTally1\"") != std::string::npos);
    CHECK(docx.text("word/document.xml").find("{{") == std::string::npos);
    CHECK(docx.text("word/header1.xml").find("SN-1") != std::string::npos);
    const Filled odt{read_zip(read_file(folder / "out/report-own.odt"), "o")};
    CHECK(odt.part("Pictures/rare-tally-1.svg").find("<svg") != std::string::npos);
    CHECK(odt.part("META-INF/manifest.xml").find("Pictures/rare-tally-1.svg") != std::string::npos);
    CHECK(odt.part("content.xml").find("draw:frame") != std::string::npos);
}

TEST_CASE("documents that are wrong are refused with a line, and nothing is written") {
    Office office;
    CHECK(office.refused(word(par(span("{{unit.seriel}}")))).find("did you mean \"unit.serial\"") !=
          std::string::npos);
    CHECK(office.refused(word(par(span("{{#findings}}")))).find("is not closed") != std::string::npos);
    CHECK(office.refused({{"other.xml", "<x/>"}}).find("is no document") != std::string::npos);
    office.folder.write("no.docx", "text");
    CHECK(input_error([&] {
              read_zip(read_file(office.folder / "no.docx"), "no.docx");
          }).find("is no ZIP archive") != std::string::npos);
    const RunData run(office.folder / "run");
    ReportOptions options;
    write_office(word(par(span("{{nothing}}"))), office.folder / "bad.docx");
    options.templates = {office.folder / "bad.docx"};
    CHECK_FALSE(input_error([&] { write_report({&run}, office.folder / "out", options); }).empty());
    CHECK_FALSE(std::filesystem::exists(office.folder / "out"));
}
