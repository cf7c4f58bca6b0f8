// radio.devices: what a link tester has found around it.
#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/procedure.hpp"
#include "core/short_range/devices.hpp"

namespace rt {
namespace {

constexpr std::array devices_parameters{
    ParameterInfo{"device", ParameterKind::text, Unit::none, "",
                  "the device that is meant: its address, its name, or strongest; needed where several are "
                  "heard"},
    ParameterInfo{"least_level", ParameterKind::quantity, Unit::dbm, "",
                  "devices below this are left out of the list, and those of unknown level"},
    ParameterInfo{"time", ParameterKind::quantity, Unit::second, "10 s", "how long it is looked for them"},
};
constexpr std::array devices_products{
    Product{"devices", Unit::count, "that were heard, at least as strong as least_level"},
    Product{"power", Unit::dbm, "of the device meant, as the tester has it"},
    Product{"connectable", Unit::none, "1 where it takes connections, else 0"},
    Product{"scannable", Unit::none, "1 where it answers scan requests, else 0"},
};

CaptureSetup devices_setup(const Parameters& p) {
    const double time = p.required("time");
    if (!(time > 0 && time <= 3600)) fail_input("parameter time: must be above 0 s, at most an hour");
    return DeviceSetup{time};
}

std::string strength_of(const NearbyDevice& device) {
    return device.level_dbm ? format({*device.level_dbm, Unit::dbm}, 3) : "an unknown level";
}

Outcome measure_devices(Capture capture, const Parameters& p) {
    Devices all = take<Devices>(std::move(capture), "radio.devices");
    require_valid(all, "");
    const auto level = [](const NearbyDevice& d) { return d.level_dbm.value_or(-1e9); };
    if (const auto least = p.number("least_level"))
        std::erase_if(all.found, [&](const NearbyDevice& d) { return level(d) < *least; });
    std::stable_sort(all.found.begin(), all.found.end(),
                     [&](const NearbyDevice& a, const NearbyDevice& b) { return level(a) > level(b); });
    Outcome out;
    Table table{"devices",
                "Devices",
                {{"address"}, {"kind"}, {"name"}, {"allows"}, {"method"}, {"level", Unit::dbm}},
                {}};
    for (const auto& device : all.found) {
        table.rows.push_back(
            {device.address, device.kind, device.name, std::string(allows(device)),
             std::string(counting_method(device)),
             device.level_dbm ? Table::Cell(*device.level_dbm) : Table::Cell(std::string())});
    }
    out.tables.push_back(std::move(table));
    const bool unclear = all.found.size() > 1 && std::any_of(all.found.begin(), all.found.end(),
                                                             [](const auto& d) { return !d.level_dbm; });
    if (lower(p.text("device")) == "strongest" && unclear) {
        out.invalid = "which device is the strongest is not known: some are listed without a level";
        return out;
    }
    const auto chosen = choose_device(
        all.found, p.text("device"), [&](std::size_t i) { return strength_of(all.found[i]); }, out);
    if (out.invalid) return out;
    out.add("devices", static_cast<double>(all.found.size()), Unit::count);
    if (!chosen) return out;
    const NearbyDevice& device = all.found[*chosen];
    if (device.level_dbm) out.add("power", *device.level_dbm, Unit::dbm);
    add_abilities(device, out);
    out.notes.push_back("device: " + device.text());
    return out;
}

}  // namespace

Procedure radio_devices() {
    return {
        "radio.devices",
        "Devices that a link tester has found",
        "The devices of short-range radio around a link tester, strongest first: their addresses, what "
        "they allow, and how their packet errors can be counted (scan requests, connection, none). Results "
        "are those of the device meant; none where several are heard and none is named.",
        devices_parameters,
        {},
        devices_products,
        devices_setup,
        measure_devices,
        preset_named};
}

}  // namespace rt
