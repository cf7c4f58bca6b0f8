#include "lab/report/connection_diagram.hpp"

#include <algorithm>

#include "core/base/text.hpp"
#include "lab/report/plain_text.hpp"

namespace rt::lab {
namespace {

std::string part_text(const PathEntry& entry) {
    std::string text = entry.part.name;
    if (!entry.calibration.empty()) return text + " (by calibration " + entry.calibration + ")";
    if (entry.part.table) return text + (entry.part.antenna ? " (factor by table)" : " (loss by table)");
    const double db = entry.part.constant_db;
    return text + (db < 0 ? " (gain " + decimal(-db, 2) : " (" + decimal(db, 2)) + " dB)";
}

std::string shortened(const std::string& text, std::size_t most) {
    if (text.size() <= most) return text;
    std::size_t end = most - 1;
    while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xC0) == 0x80) --end;
    return text.substr(0, end) + "…";
}

class Drawing {
  public:
    void box(double x, double y, double w, double h, const char* fill, const char* edge, double round) {
        body_ += "<rect x=\"" + decimal(x, 1) + "\" y=\"" + decimal(y, 1) + "\" width=\"" + decimal(w, 1) +
                 "\" height=\"" + decimal(h, 1) + "\" rx=\"" + decimal(round, 1) + "\" fill=\"" + fill +
                 "\" stroke=\"" + edge + "\"/>\n";
    }
    void line(double x1, double x2, double y, bool dashed) {
        body_ += "<line x1=\"" + decimal(x1, 1) + "\" x2=\"" + decimal(x2, 1) + "\" y1=\"" + decimal(y, 1) +
                 "\" y2=\"" + decimal(y, 1) + "\" stroke=\"#14506e\" stroke-width=\"2\"" +
                 (dashed ? " stroke-dasharray=\"5 4\"" : "") + "/>\n";
    }
    void down(double x, double y1, double y2) {
        body_ += "<line x1=\"" + decimal(x, 1) + "\" x2=\"" + decimal(x, 1) + "\" y1=\"" + decimal(y1, 1) +
                 "\" y2=\"" + decimal(y2, 1) + "\" stroke=\"#14506e\" stroke-width=\"2\"/>\n";
    }
    void text(double x, double y, const std::string& words, const char* style, const char* anchor = "start") {
        body_ += "<text x=\"" + decimal(x, 1) + "\" y=\"" + decimal(y, 1) + "\" text-anchor=\"" + anchor +
                 "\" style=\"" + style + "\">" + markup_text(words) + "</text>\n";
    }
    std::string finish(double width, double height, const std::string& title) const {
        return "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 " + decimal(width, 0) + " " +
               decimal(height, 0) + "\" width=\"" + decimal(width, 0) + "\" height=\"" + decimal(height, 0) +
               "\" role=\"img\" font-family=\"DejaVu Sans, Liberation Sans, Helvetica, "
               "sans-serif\">\n<title>" +
               markup_text(title) + "</title>\n<rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n" +
               body_ + "</svg>\n";
    }

  private:
    std::string body_;
};

constexpr const char* strong = "font-size:14px;font-weight:600;fill:#1c2327";
constexpr const char* plain = "font-size:12.5px;fill:#1c2327";
constexpr const char* soft = "font-size:11.5px;fill:#56636b";

}  // namespace

std::vector<Connection> connections(const Bench& bench, const std::set<std::string>& roles) {
    std::vector<Connection> out;
    for (const auto& instrument : bench.instruments) {
        if (!roles.empty() && !roles.contains(instrument.role)) continue;
        Connection c{instrument.connected_to, {}, instrument.role, instrument.name, instrument.serial,
                     instrument.address};
        if (c.port.empty()) c.port = instrument.role == "unit" ? "control" : "";
        if (const auto* path = bench.find_path(instrument.role)) {
            for (const auto& entry : path->entries) c.parts.push_back(part_text(entry));
        }
        out.push_back(std::move(c));
    }
    // Instruments at one port together, in the order of the bench; those at none last.
    std::vector<std::string> ports;
    for (const auto& c : out) {
        if (!c.port.empty() && std::find(ports.begin(), ports.end(), c.port) == ports.end())
            ports.push_back(c.port);
    }
    std::stable_sort(out.begin(), out.end(), [&](const auto& a, const auto& b) {
        return std::find(ports.begin(), ports.end(), a.port) < std::find(ports.begin(), ports.end(), b.port);
    });
    return out;
}

std::vector<std::string> diagram_text(const std::vector<Connection>& list) {
    std::size_t width = 4;
    for (const auto& c : list) width = std::max(width, c.port.size());
    std::vector<std::string> lines;
    for (const auto& c : list) {
        std::string line = c.port.empty() ? "-" : c.port;
        line.resize(std::max(width, line.size()), ' ');
        for (const auto& part : c.parts) line += " ── " + part;
        line += c.port.empty() ? "    " : " ── ";
        line += c.role + ": " + c.name + (c.serial.empty() ? "" : ", " + c.serial);
        lines.push_back(std::move(line));
    }
    return lines;
}

std::string diagram_svg(const std::vector<Connection>& list, const std::string& unit,
                        const std::string& bench) {
    constexpr double row = 74, top = 70, unit_x = 24, unit_w = 190, part_w = 170, part_gap = 26, tool_w = 300;
    std::size_t most = 0;
    for (const auto& c : list) most = std::max(most, c.parts.size());
    const double parts_x = unit_x + unit_w + 60;
    const double tool_x = parts_x + static_cast<double>(most) * (part_w + part_gap) + 34;
    const double width = tool_x + tool_w + 24;
    const double height = top + row * static_cast<double>(std::max<std::size_t>(list.size(), 1)) + 20;
    Drawing drawing;
    drawing.text(unit_x, 32, "Connections: " + bench, "font-size:17px;font-weight:600;fill:#14506e");
    drawing.box(unit_x, top - 14, unit_w, height - top - 8, "#f3f6f7", "#14506e", 6);
    drawing.text(unit_x + 14, top + 10, shortened(unit, 24), strong);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Connection& c = list[i];
        const double y = top + row * static_cast<double>(i) + 36;
        if (!c.port.empty()) {
            // One port may serve several instruments: its lines meet outside the unit.
            const bool same = i > 0 && list[i - 1].port == c.port;
            const double meeting_x = unit_x + unit_w + 24;
            drawing.line(same ? meeting_x : unit_x + unit_w, tool_x, y, c.role == "unit");
            if (same) {
                drawing.down(meeting_x, y - row, y);
            } else {
                drawing.box(unit_x + unit_w - 7, y - 7, 14, 14, "#14506e", "#14506e", 7);
                drawing.text(unit_x + unit_w - 14, y + 4, shortened(c.port, 20), plain, "end");
            }
        }
        for (std::size_t k = 0; k < c.parts.size(); ++k) {
            const double x = parts_x + static_cast<double>(k) * (part_w + part_gap);
            const auto open = c.parts[k].find(" (");
            drawing.box(x, y - 20, part_w, 40, "#fdf6e3", "#7a4b00", 3);
            drawing.text(x + part_w / 2, y - 3, shortened(c.parts[k].substr(0, open), 24), plain, "middle");
            if (open != std::string::npos) {
                drawing.text(x + part_w / 2, y + 13,
                             shortened(c.parts[k].substr(open + 2, c.parts[k].size() - open - 3), 27), soft,
                             "middle");
            }
        }
        drawing.box(tool_x, y - 30, tool_w, 60, "#ffffff", "#1c2327", 6);
        drawing.text(tool_x + 12, y - 11, c.role, strong);
        drawing.text(tool_x + 12, y + 6, shortened(c.name + (c.serial.empty() ? "" : ", " + c.serial), 42),
                     plain);
        drawing.text(tool_x + 12, y + 22, shortened(c.address, 46), soft);
    }
    return drawing.finish(width, height, "Connections of " + unit + " on " + bench);
}

}  // namespace rt::lab
