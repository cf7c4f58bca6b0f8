#include "lab/formats/devices_csv.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"

namespace rt::lab {
namespace {

constexpr const char* heading = "address,kind,name,allows,level [dBm]";
constexpr std::array<std::string_view, 5> device_columns{"address", "kind", "name", "allows", "level"};

}  // namespace

std::string devices_csv(const Devices& devices) {
    std::string out;
    if (devices.distrust) out += "# distrust: " + *devices.distrust + "\n";
    if (devices.observed_s) out += "# seconds: " + exact(*devices.observed_s) + "\n";
    out += std::string(heading) + "\n";
    for (const auto& device : devices.found) {
        out += device.address + "," + device.kind + "," + csv_cell(device.name) + "," +
               csv_cell(allows(device)) + "," + (device.level_dbm ? exact(*device.level_dbm) : "") + "\n";
    }
    return out;
}

Devices parse_devices_csv(std::string_view text, const std::string& file) {
    const CsvTable csv(text, file, heading);
    Devices out;
    if (const std::string why = csv.remark("distrust"); !why.empty()) out.distrust = why;
    if (const std::string seconds = csv.remark("seconds"); !seconds.empty()) {
        out.observed_s = to_double(seconds);
        if (!out.observed_s || !(*out.observed_s > 0))
            fail_input(file, "the remark seconds is no time: " + in_quotes(seconds));
    }
    for (const auto& column : csv.columns()) {
        if (std::find(device_columns.begin(), device_columns.end(), column.name) == device_columns.end())
            fail_input(csv.place(column),
                       "the column " + in_quotes(column.name) + " is not known; write " + heading);
    }
    const auto &address = csv.required("address"), &allowed = csv.required("allows");
    const CsvColumn *kind = csv.find("kind"), *name = csv.find("name"), *level = csv.find("level");
    if (level && (!level->unit || level->unit->unit != Unit::dbm))
        fail_input(csv.place(*level), "write level [dBm]");
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        NearbyDevice device;
        device.address = lower(address.cells[row]);
        if (kind) device.kind = kind->cells[row];
        if (!device.kind.empty() && device.kind != "public" && device.kind != "random")
            fail_input(csv.place(*kind, row), in_quotes(device.kind) + " is no kind; write public or random");
        if (name) device.name = name->cells[row];
        const std::string& words = allowed.cells[row];
        device.connects = words.starts_with("connect"), device.scanned = words.ends_with("scan");
        if (words != allows(device))
            fail_input(csv.place(allowed, row),
                       in_quotes(words) +
                           " is not understood; write \"connect, scan\", connect, scan or "
                           "neither");
        if (level && !level->cells[row].empty()) device.level_dbm = csv.number(*level, row);
        out.found.push_back(std::move(device));
    }
    require_valid(out, file);
    return out;
}

}  // namespace rt::lab
