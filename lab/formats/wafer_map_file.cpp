#include "lab/formats/wafer_map_file.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

constexpr std::array map_root_keys{
    KeyInfo{"map", Key::table, true, "the wafer as a whole"},
    KeyInfo{"device", Key::tables, false, "devices of each die"},
};
constexpr std::array map_keys{
    KeyInfo{"title", Key::text, true, "what it is, in words"},
    KeyInfo{"pitch_x", Key::quantity, true, "from die to die along a row", Unit::metre},
    KeyInfo{"pitch_y", Key::quantity, true, "from row to row", Unit::metre},
    KeyInfo{"dies", Key::texts, true,
            "a text for each row from above: '.' no die, 'o' a die that is left out, 'x' one that is tested, "
            "'R' the "
            "reference die, which is tested too, 'r' the reference die, left out"},
    KeyInfo{"first_column", Key::whole, false, "number of the first character's column; 0 without it"},
    KeyInfo{"first_row", Key::whole, false, "number of the first row; 0 without it"},
};
constexpr std::array map_device_keys{
    KeyInfo{"name", Key::text, true, "short name, unique in the map"},
    KeyInfo{"x", Key::quantity, false, "from the left edge of the die", Unit::metre},
    KeyInfo{"y", Key::quantity, false, "from its upper edge", Unit::metre},
};
constexpr SectionInfo map_root{"the file", "", map_root_keys};
constexpr SectionInfo map_section{
    "[map]", "Dies by columns and rows; \"3,5\" is the die in column 3 of row 5.", map_keys};
constexpr SectionInfo map_device_section{"[[device]]", "A device and its place within each die.",
                                         map_device_keys};
constexpr std::array<const SectionInfo*, 3> map_sections{&map_root, &map_section, &map_device_section};

// In micrometres where these say it exactly.
std::string length_text(double m) {
    const std::string text = decimal(m * 1e6, 3) + " um";
    return parse_quantity(text, Unit::metre).value == m ? text : exact(m) + " m";
}

}  // namespace

const FileInfo wafer_map_file{"wafer-map", "Dies of a wafer and the devices on them.", map_sections};

bool holds_wafer_map(std::string_view text, const std::string& file) {
    return parse_config(text, file).find("map") != nullptr;
}

WaferMap parse_wafer_map(std::string_view text, const std::filesystem::path& file) {
    const ConfigNode node = parse_config(text, file.string());
    const ConfigSection root(node, file.string(), map_root);
    const ConfigSection head = *root.table("map", map_section);
    WaferMap out;
    out.title = head.text("title");
    out.pitch_x_m = head.quantity("pitch_x")->value, out.pitch_y_m = head.quantity("pitch_y")->value;
    if (!(out.pitch_x_m > 0)) head.fail("pitch_x", "must be above 0 m");
    if (!(out.pitch_y_m > 0)) head.fail("pitch_y", "must be above 0 m");
    const int column = static_cast<int>(head.whole("first_column").value_or(0));
    int row = static_cast<int>(head.whole("first_row").value_or(0));
    for (const auto& line : head.texts("dies")) {
        for (std::size_t i = 0; i < line.size(); ++i) {
            const char c = line[i];
            if (c == '.') continue;
            if (c != 'o' && c != 'x' && c != 'R' && c != 'r')
                head.fail("dies", in_quotes(line) + ": write '.', 'o', 'x', 'R' or 'r' for each die, not " +
                                      in_quotes(std::string(1, c)));
            out.dies.push_back(
                {column + static_cast<int>(i), row, c == 'x' || c == 'R', c == 'R' || c == 'r'});
        }
        ++row;
    }
    const auto references =
        std::count_if(out.dies.begin(), out.dies.end(), [](const auto& d) { return d.reference; });
    if (references == 0) head.fail("dies", "has no reference die: mark one R (or r, where it is not tested)");
    if (references > 1)
        head.fail("dies", "has " + std::to_string(references) + " reference dies: one is possible");
    if (std::none_of(out.dies.begin(), out.dies.end(), [](const auto& d) { return d.tested; }))
        head.fail("dies", "has no die to test: mark them x");
    for (const auto& section : root.tables("device", map_device_section)) {
        WaferMap::Device device{section.text("name"), section.quantity_or("x", 0),
                                section.quantity_or("y", 0)};
        for (const auto& known : out.devices) {
            if (known.name == device.name)
                section.fail("name", "the map has two of " + in_quotes(device.name));
        }
        if (device.x_m < 0 || device.x_m > out.pitch_x_m) section.fail("x", "lies outside of the die");
        if (device.y_m < 0 || device.y_m > out.pitch_y_m) section.fail("y", "lies outside of the die");
        out.devices.push_back(std::move(device));
    }
    return out;
}

std::string wafer_map_text(const WaferMap& map) {
    int left = map.dies.front().column, top = map.dies.front().row, bottom = top;
    for (const auto& die : map.dies) {
        left = std::min(left, die.column), top = std::min(top, die.row), bottom = std::max(bottom, die.row);
    }
    std::string out = "[map]\ntitle = " + toml_text(map.title) + "\npitch_x = \"" +
                      length_text(map.pitch_x_m) + "\"\npitch_y = \"" + length_text(map.pitch_y_m) +
                      "\"\nfirst_column = " + std::to_string(left) + "\nfirst_row = " + std::to_string(top) +
                      "\ndies = [\n";
    for (int row = top; row <= bottom; ++row) {
        std::string line;
        for (const auto& die : map.dies) {
            if (die.row != row) continue;
            line.resize(static_cast<std::size_t>(die.column - left), '.');
            line += die.reference ? die.tested ? 'R' : 'r' : die.tested ? 'x' : 'o';
        }
        out += "  \"" + line + "\",\n";
    }
    out += "]\n";
    for (const auto& device : map.devices)
        out += "\n[[device]]\nname = " + toml_text(device.name) + "\nx = \"" + length_text(device.x_m) +
               "\"\ny = \"" + length_text(device.y_m) + "\"\n";
    return out;
}

}  // namespace rt::lab
