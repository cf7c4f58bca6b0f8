#include "lab/formats/kit_file.hpp"

#include <array>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/touchstone.hpp"

namespace rt::lab {
namespace {

constexpr std::array kit_root_keys{
    KeyInfo{"kit", Key::table, true, "the kit as a whole"},
    KeyInfo{"standard", Key::tables, true, "its standards"},
};
constexpr std::array kit_keys{
    KeyInfo{"title", Key::text, true, "what it is, in words"},
    KeyInfo{"serial", Key::text, false, "of this one"},
    KeyInfo{"reference", Key::quantity, false,
            "resistance that corrected parameters count from; 50 ohm without it", Unit::ohm},
};
constexpr std::array kit_standard_keys{
    KeyInfo{
        "name", Key::text, true,
        "how a calibration calls it: open, short, load, offset-open, offset-short, offset-load, thru, line, "
        "line-2, reflect or match"},
    KeyInfo{"kind", Key::text, false,
            "what it is: open, short, load, thru, line or reflect; what its name begins with, without it"},
    KeyInfo{"port", Key::whole, false, "1 or 2 for one that is for this port only"},
    KeyInfo{"capacitance", Key::words, false, "of an open: up to four numbers, in F, F/Hz, F/Hz^2, F/Hz^3"},
    KeyInfo{"inductance", Key::words, false,
            "of a short or a load: up to four numbers, in H, H/Hz, H/Hz^2, H/Hz^3"},
    KeyInfo{"resistance", Key::quantity, false, "of a load; 50 ohm without it", Unit::ohm},
    KeyInfo{"delay", Key::quantity, false, "of the line before it, or of the line itself, one way",
            Unit::second},
    KeyInfo{"loss", Key::word, false, "of that line, in ohm/s at 1 GHz (grows with the root of frequency)"},
    KeyInfo{"impedance", Key::quantity, false, "of that line; 50 ohm without it", Unit::ohm},
    KeyInfo{"from", Key::quantity, false, "lowest frequency that it holds for", Unit::hertz},
    KeyInfo{"to", Key::quantity, false, "highest frequency that it holds for", Unit::hertz},
    KeyInfo{"file", Key::text, false,
            "its parameters as measured, a Touchstone file beside the kit, in place of a model"},
    KeyInfo{"data", Key::text, false, "the same, the text of a Touchstone file itself"},
};
constexpr SectionInfo kit_root{"the file", "", kit_root_keys};
constexpr SectionInfo kit_section{"[kit]", "The kit as a whole.", kit_keys};
constexpr SectionInfo kit_standard_section{
    "[[standard]]", "One standard: an end behind a line, a line, or measured data.", kit_standard_keys};
constexpr std::array<const SectionInfo*, 3> kit_sections{&kit_root, &kit_section, &kit_standard_section};

const std::set<std::string> standard_names{"open",         "short",       "load", "offset-open",
                                           "offset-short", "offset-load", "thru", "line",
                                           "line-2",       "reflect",     "match"};

StandardKind kind_of_standard(const ConfigSection& section, const std::string& name) {
    const std::string kind = section.text("kind");
    const std::string of = !kind.empty() ? kind : name.starts_with("offset-") ? name.substr(7) : name;
    if (of == "open") return StandardKind::open;
    if (of == "short") return StandardKind::short_circuit;
    if (of == "load" || of == "match") return StandardKind::load;
    if (of == "thru") return StandardKind::thru;
    if (of == "line" || of == "line-2") return StandardKind::line;
    if (of == "reflect") return StandardKind::reflect;
    section.fail("kind", in_quotes(of) + " is none: write open, short, load, thru, line or reflect");
}

std::array<double, 4> polynomial(const ConfigSection& section, const char* key) {
    std::array<double, 4> out{};
    const auto texts = section.texts(key);
    if (texts.size() > out.size()) section.fail(key, "has more than four numbers");
    for (std::size_t i = 0; i < texts.size(); ++i) {
        const auto value = to_double(texts[i]);
        if (!value) section.fail(key, in_quotes(texts[i]) + " is not a number");
        out[i] = *value;
    }
    return out;
}

// The text of a Touchstone file says itself how many ports it has, in version 2 or by its remark.
Network data_of(const ConfigSection& section, const std::filesystem::path& file) {
    if (section.has("file") && section.has("data"))
        section.fail("data", "stands beside file: one of them is enough");
    Network out;
    if (section.has("file")) {
        section.at("file", [&] { out = read_touchstone(file.parent_path() / section.text("file")); });
    } else {
        section.at("data", [&] { out = parse_touchstone(section.text("data"), "data", 0); });
    }
    return out;
}

Standard read_standard(const ConfigSection& section, const std::filesystem::path& file) {
    Standard out;
    out.name = section.text("name");
    if (!standard_names.contains(out.name))
        section.fail("name", in_quotes(out.name) + " is no standard of a calibration" +
                                 suggestion(out.name, {standard_names.begin(), standard_names.end()}));
    out.kind = kind_of_standard(section, out.name);
    if (const auto port = section.whole("port")) {
        if (*port != 1 && *port != 2) section.fail("port", "must be 1 or 2");
        out.port = static_cast<std::size_t>(*port);
    }
    const auto only = [&](const char* key, std::initializer_list<StandardKind> kinds, const char* whose) {
        if (section.has(key) && std::find(kinds.begin(), kinds.end(), out.kind) == kinds.end())
            section.fail(key, std::string("is of ") + whose + " only");
    };
    using enum StandardKind;
    only("capacitance", {open}, "an open");
    only("inductance", {short_circuit, load}, "a short or a load");
    only("resistance", {load}, "a load");
    out.capacitance = polynomial(section, "capacitance");
    out.inductance = polynomial(section, "inductance");
    out.resistance_ohm = section.quantity_or("resistance", 50);
    out.delay_s = section.quantity_or("delay", 0);
    out.impedance_ohm = section.quantity_or("impedance", 50);
    if (section.has("loss")) {
        const auto loss = to_double(section.text("loss"));
        if (!loss || !(*loss >= 0)) section.fail("loss", "must be a number in ohm/s, 0 or above");
        out.loss_ohm_s = *loss;
    }
    if (!(out.impedance_ohm > 0)) section.fail("impedance", "must be above 0 ohm");
    if (!(out.resistance_ohm >= 0)) section.fail("resistance", "must not be negative");
    if (!(out.delay_s >= 0)) section.fail("delay", "must not be negative");
    out.from_hz = section.quantity_or("from", 0);
    out.to_hz = section.quantity_or("to", 0);
    if (out.to_hz > 0 && !(out.to_hz > out.from_hz)) section.fail("to", "must be above from");
    if (section.has("file") || section.has("data")) {
        for (const char* key : {"capacitance", "inductance", "resistance", "loss"}) {
            if (section.has(key)) section.fail(key, "stands beside measured data: one of them is enough");
        }
        out.data = data_of(section, file);
    }
    return out;
}

}  // namespace

const FileInfo kit_file{"calibration-kit",
                        "Standards of known reflection and transmission, to calibrate network analysers.",
                        kit_sections};

CalibrationKit parse_kit(std::string_view text, const std::filesystem::path& file) {
    const ConfigNode node = parse_config(text, file.string());
    const ConfigSection root(node, file.string(), kit_root);
    const ConfigSection head = *root.table("kit", kit_section);
    CalibrationKit out;
    out.title = head.text("title");
    out.serial = head.text("serial");
    out.reference_ohm = head.quantity_or("reference", 50);
    if (!(out.reference_ohm > 0)) head.fail("reference", "must be above 0 ohm");
    for (const auto& section : root.tables("standard", kit_standard_section)) {
        Standard standard = read_standard(section, file);
        for (const auto& known : out.standards) {
            if (known.name == standard.name && known.port == standard.port)
                section.fail("name", "the kit has two of " + in_quotes(standard.name));
        }
        out.standards.push_back(std::move(standard));
    }
    return out;
}

std::string kit_text(const CalibrationKit& kit) {
    std::string out = "[kit]\ntitle = " + toml_text(kit.title) + "\n";
    if (!kit.serial.empty()) out += "serial = " + toml_text(kit.serial) + "\n";
    out += "reference = \"" + exact(kit.reference_ohm) + " ohm\"\n";
    const auto numbers = [](const std::array<double, 4>& values) {
        std::string list;
        for (const double value : values) list += (list.empty() ? "\"" : ", \"") + exact(value) + "\"";
        return "[" + list + "]\n";
    };
    for (const auto& s : kit.standards) {
        out += "\n[[standard]]\nname = " + toml_text(s.name) + "\n";
        const char* const kinds[]{"open", "short", "load", "thru", "line", "reflect"};
        out += std::string("kind = \"") + kinds[static_cast<int>(s.kind)] + "\"\n";
        if (s.port > 0) out += "port = " + std::to_string(s.port) + "\n";
        out += "delay = \"" + exact(s.delay_s) + " s\"\nimpedance = \"" + exact(s.impedance_ohm) + " ohm\"\n";
        if (s.from_hz > 0) out += "from = \"" + exact(s.from_hz) + " Hz\"\n";
        if (s.to_hz > 0) out += "to = \"" + exact(s.to_hz) + " Hz\"\n";
        if (s.data) {
            Network data = *s.data;
            if (data.done.empty()) data.done.emplace_back("kept in the kit");
            out += "data = " + toml_text(touchstone(data)) + "\n";
            continue;
        }
        if (s.loss_ohm_s > 0) out += "loss = \"" + exact(s.loss_ohm_s) + "\"\n";
        if (s.kind == StandardKind::open) out += "capacitance = " + numbers(s.capacitance);
        if (s.kind == StandardKind::short_circuit || s.kind == StandardKind::load)
            out += "inductance = " + numbers(s.inductance);
        if (s.kind == StandardKind::load) out += "resistance = \"" + exact(s.resistance_ohm) + " ohm\"\n";
    }
    return out;
}

}  // namespace rt::lab
