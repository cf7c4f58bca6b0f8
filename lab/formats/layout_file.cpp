#include "lab/formats/layout_file.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array layout_keys{
    KeyInfo{
        "frequency", Key::text, false,
        "column of the frequency: its number from 1 or its heading, with the unit behind a colon where the "
        "file does not say it: \"1:MHz\"; found without it"},
    KeyInfo{"level", Key::text, false, "column of the level, the same way: \"Trace 2:dBuV\""},
    KeyInfo{"separator", Key::text, false, "\",\", \";\", \"tab\" or \"spaces\"; found without it"},
    KeyInfo{"decimal", Key::text, false, "point or comma; found without it"},
    KeyInfo{"block", Key::whole, false, "which, of several blocks of numbers in one file, from 1"},
    KeyInfo{"start", Key::quantity, false, "frequency of the first row, of files without frequencies",
            Unit::hertz},
    KeyInfo{"stop", Key::quantity, false, "frequency of the last row, the same", Unit::hertz},
    KeyInfo{"detector", Key::text, false, "that the files do not state; marked as declared"},
    KeyInfo{"bandwidth", Key::quantity, false, "resolution bandwidth, the same", Unit::hertz},
    KeyInfo{"impedance", Key::quantity, false, "of the port, the same", Unit::ohm},
};
constexpr std::array layout_root_keys{
    KeyInfo{"layout", Key::table, true, "how the files are laid out"},
};
constexpr SectionInfo layout_root{"the file", "", layout_root_keys};
const std::array<const SectionInfo*, 2> layout_sections{&layout_root, &layout_section};

const std::vector<std::string> layout_separators{",", ";", "tab", "spaces"},
    layout_decimals{"point", "comma"};

void require_one_of(const ConfigSection& section, const char* key, const std::vector<std::string>& known) {
    const std::string text = section.text(key);
    if (!section.has(key) || std::find(known.begin(), known.end(), text) != known.end()) return;
    std::string all;
    for (const auto& one : known) all += (all.empty() ? "" : ", ") + in_quotes(one);
    section.fail(key, in_quotes(text) + " is none of " + all);
}

}  // namespace

const SectionInfo layout_section{"[layout]", "What is not said here is found in each file.", layout_keys};

const FileInfo layout_file{
    "layout",
    "How the spectrum files of one analyser are laid out: for measure --layout and recorded instruments.",
    layout_sections};

void take_column(const std::string& text, std::string& column, std::string& unit) {
    const auto colon = text.rfind(':');
    if (colon != std::string::npos && parse_unit(trim(std::string_view(text).substr(colon + 1)))) {
        column = trim(std::string_view(text).substr(0, colon)),
        unit = trim(std::string_view(text).substr(colon + 1));
        return;
    }
    column = trim(text), unit.clear();
}

SpectrumLayout parse_layout(std::string_view text, const std::string& file) {
    const ConfigNode node = parse_config(text, file);
    const ConfigSection root(node, file, layout_root);
    SpectrumLayout out = read_layout(*root.table("layout", layout_section));
    out.file = file;
    return out;
}

SpectrumLayout read_layout(const ConfigSection& s) {
    SpectrumLayout out;
    take_column(s.text("frequency"), out.frequency_column, out.frequency_unit);
    take_column(s.text("level"), out.level_column, out.level_unit);
    require_one_of(s, "separator", layout_separators);
    require_one_of(s, "decimal", layout_decimals);
    out.separator = s.text("separator"), out.decimal = s.text("decimal");
    out.block = static_cast<int>(s.whole("block").value_or(0));
    if (out.block < 0) s.fail("block", "is counted from 1");
    out.start = s.quantity("start"), out.stop = s.quantity("stop");
    if (out.start.has_value() != out.stop.has_value())
        s.fail(out.start ? "start" : "stop", "start and stop go together");
    if (out.start && !(out.stop->value > out.start->value)) s.fail("stop", "must be above start");
    if (s.has("detector")) {
        out.detector = parse_detector(s.text("detector"));
        if (!out.detector)
            s.fail("detector", "unknown detector " + in_quotes(s.text("detector")) +
                                   suggestion(s.text("detector"), detector_names()));
    }
    if (const auto bandwidth = s.quantity("bandwidth")) out.bandwidth_hz = bandwidth->value;
    if (const auto impedance = s.quantity("impedance")) out.impedance_ohm = impedance->value;
    return out;
}

SpectrumLayout read_layout(const std::filesystem::path& file) {
    return parse_layout(read_file(file), file.string());
}

std::string layout_text(const SpectrumLayout& layout) {
    std::string out =
        "# How the spectrum files of one analyser are laid out; what is not said here is found in "
        "each.\n[layout]\n";
    const auto add = [&](const char* key, const std::string& value) {
        if (!value.empty()) out += fmt::format("{} = {}\n", key, toml_text(value));
    };
    const auto column = [](const std::string& name, const std::string& unit) {
        return unit.empty() ? name : name + ":" + unit;
    };
    add("frequency", column(layout.frequency_column, layout.frequency_unit));
    add("level", column(layout.level_column, layout.level_unit));
    add("separator", layout.separator);
    add("decimal", layout.decimal);
    if (layout.block > 0) out += fmt::format("block = {}\n", layout.block);
    if (layout.start) add("start", format(*layout.start)), add("stop", format(*layout.stop));
    if (layout.detector) add("detector", name(*layout.detector));
    if (layout.bandwidth_hz) add("bandwidth", format({*layout.bandwidth_hz, Unit::hertz}));
    if (layout.impedance_ohm) add("impedance", format({*layout.impedance_ohm, Unit::ohm}));
    return out;
}

}  // namespace rt::lab
