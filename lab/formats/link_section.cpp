#include "lab/formats/link_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

constexpr std::array association_keys{
    KeyInfo{"asks", Key::text, true,
            "what tells whether the link stands: \"unit.link\", its dialect's query_link"},
    KeyInfo{"is", Key::text, true, "the answer while it stands: \"up\""},
    KeyInfo{
        "settings", Key::pairs, true,
        "what is set, one after the other, to have it stand again: { \"attenuator.attenuation\" = \"20 dB\", "
        "\"unit.connect\" = \"ON\" }; then the point's own settings once more"},
    KeyInfo{"within", Key::quantity, false, "how long that may take; 10 s without it", Unit::second},
    KeyInfo{"must_hold", Key::flag, false,
            "a point during which it is lost is measured again, up to twice, and without it has no verdict; "
            "without this key what does not arrive is part of what is measured"},
};

}  // namespace

const SectionInfo association_section{
    "[[test.association]]",
    "A link that must stand before a point is measured, and is brought up again where it was lost. A point "
    "at whose "
    "settings it does not hold is measured all the same: nothing arrives there.",
    association_keys};

static Association read_association(const ConfigSection& part) {
    Association out;
    out.asks = part.text("asks"), out.is = part.text("is"), out.settings = part.pairs("settings");
    out.within_s = part.quantity_or("within", 10);
    out.must_hold = part.flag("must_hold");
    if (!setting_target(out.asks, ""))
        part.fail("asks", in_quotes(out.asks) + " is nothing to ask: write \"unit.link\"");
    if (out.settings.empty()) part.fail("settings", "is empty: name what brings the link up");
    for (const auto& [name, value] : out.settings) {
        if (!setting_target(name, ""))
            part.fail("settings", in_quotes(name) + " is no setting: write \"unit.connect\" = \"ON\"");
    }
    if (!(out.within_s > 0 && out.within_s <= 3600))
        part.fail("within", "must be above 0 s, at most an hour");
    return out;
}

void read_link(const ConfigSection& section, Test& test) {
    for (const auto& [name, from] : section.pairs("reads")) {
        const auto& infos = test.procedure->parameters;
        const auto info =
            std::find_if(infos.begin(), infos.end(), [&](const ParameterInfo& p) { return name == p.name; });
        if (info == infos.end() || info->kind != ParameterKind::quantity) {
            std::vector<std::string> names;
            for (const auto& one : infos) {
                if (one.kind == ParameterKind::quantity) names.emplace_back(one.name);
            }
            section.fail("reads", std::string(test.procedure->name) + " has no quantity " + in_quotes(name) +
                                      " among its parameters" + suggestion(name, names));
        }
        if (!setting_target(from, ""))
            section.fail("reads", in_quotes(from) + " is nothing to ask: write \"unit.rssi\"");
        test.reads.emplace_back(name, from);
    }
    for (const auto& part : section.tables("association", association_section))
        test.associations.push_back(read_association(part));
}

}  // namespace rt::lab
