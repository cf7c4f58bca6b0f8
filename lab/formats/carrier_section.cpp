#include "lab/formats/carrier_section.hpp"

#include <fmt/core.h>

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/cellular/bands.hpp"

namespace rt::lab {
namespace {

constexpr std::array carriers_keys{
    KeyInfo{"bands", Key::words, true, "operating bands: \"7\" of LTE, \"n78\" of NR"},
    KeyInfo{"bandwidths", Key::texts, true, "widths of channels: \"10 MHz\""},
    KeyInfo{"channels", Key::words, true,
            "\"low\", \"middle\", \"high\" of each band and width, or channel numbers"},
    KeyInfo{"spacing", Key::quantity, false, "of subcarriers, for the raster of NR; 15 kHz without it",
            Unit::hertz},
    KeyInfo{"direction", Key::text, false,
            "\"up\" (without it) or \"down\": which of two frequencies is meant"},
    KeyInfo{"band_to", Key::texts, false, "what the band goes to, as for an axis: \"parameter.band\""},
    KeyInfo{"bandwidth_to", Key::texts, false, "what the width goes to: \"parameter.channel_bandwidth\""},
    KeyInfo{"channel_to", Key::texts, false, "what the channel number goes to"},
    KeyInfo{"frequency_to", Key::texts, false, "what the carrier frequency goes to: \"parameter.centre\""},
    KeyInfo{"partner_to", Key::texts, false, "what the frequency of the other direction goes to"},
};

using cellular::Band;
using cellular::Channel;
using cellular::Direction;

struct Carrier {
    const Band* band;
    Quantity width;
    std::string place;
    Channel channel;
};

Channel channel_of(const Band& band, Direction direction, const std::string& word, double width,
                   double spacing) {
    const auto ends = test_channels(band, direction, width, spacing);
    if (word == "low") return ends.low;
    if (word == "middle") return ends.middle;
    if (word == "high") return ends.high;
    const auto number = to_double(word);
    if (!number || *number < 0 || *number > 4e6 ||
        *number != static_cast<double>(static_cast<std::size_t>(*number)))
        fail_input("channel " + in_quotes(word) + ": write low, middle, high or a channel number");
    return channel_numbered(band, direction, static_cast<std::size_t>(*number), width, spacing);
}

std::vector<Carrier> carriers_of(const ConfigSection& table, Direction direction, double spacing) {
    std::vector<Carrier> out;
    for (const auto& name : table.texts("bands")) {
        const Band* band = nullptr;
        table.at("bands", [&] { band = &cellular::band_called(name); });
        for (const auto& text : table.texts("bandwidths")) {
            Quantity width;
            table.at("bandwidths", [&] {
                width = parse_quantity(text, Unit::hertz);
                const double of = band->technology == cellular::Technology::lte ? 15e3 : spacing;
                if (!blocks_of(band->technology, width.value, of))
                    fail_input(fmt::format("there is no channel of {} in band {} with {:g} kHz", text,
                                           band->name(), of / 1e3));
            });
            for (const auto& word : table.texts("channels"))
                table.at("channels", [&] {
                    out.push_back(
                        {band, width, word, channel_of(*band, direction, word, width.value, spacing)});
                });
        }
    }
    return out;
}

}  // namespace

const SectionInfo carriers_section{
    "carriers", "Values of an axis for each carrier of cellular bands: its band, its width, its channel.",
    carriers_keys};

std::vector<Axis> carrier_axes(const ConfigSection& section, Axis axis) {
    const ConfigSection table = *section.table("carriers", carriers_section);
    const double spacing = table.quantity_or("spacing", 15e3);
    const std::string way = table.has("direction") ? table.text("direction") : "up";
    if (way != "up" && way != "down") table.fail("direction", "write up or down");
    const Direction direction = way == "up" ? Direction::up : Direction::down;
    const auto carriers = carriers_of(table, direction, spacing);
    std::vector<Axis> out;
    const auto coupled = [&](const char* name, const char* key, auto&& value) {
        if (!table.has(key)) return;
        Axis next{name, {}, table.texts(key), true};
        for (const auto& target : next.sets) {
            if (target != "unit" && target.find('.') == std::string::npos)
                table.fail(key, in_quotes(target) + " is nothing to set");
        }
        table.at(key, [&] {
            for (const auto& carrier : carriers) next.values.push_back(value(carrier));
        });
        out.push_back(std::move(next));
    };
    for (const auto& carrier : carriers)
        axis.values.push_back(
            word_value(carrier.band->name() + " " + carrier.place + " " + format(carrier.width, 4)));
    axis.coupled = false;
    out.push_back(std::move(axis));
    coupled("band", "band_to", [](const Carrier& c) { return word_value(c.band->name()); });
    coupled("bandwidth", "bandwidth_to", [](const Carrier& c) { return quantity_value(c.width); });
    coupled("number", "channel_to",
            [](const Carrier& c) { return word_value(std::to_string(c.channel.number)); });
    coupled("frequency", "frequency_to", [](const Carrier& c) {
        return quantity_value({c.channel.hz, Unit::hertz});
    });
    coupled("partner", "partner_to", [&](const Carrier& c) {
        return quantity_value({partner_of(*c.band, direction, c.channel).hz, Unit::hertz});
    });
    return out;
}

}  // namespace rt::lab
