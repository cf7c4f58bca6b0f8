// Devices of short-range radio that were found around: who they are, what they allow, how strong they are.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rt {

struct DeviceSetup {
    double seconds = 10;  // how long it is looked for them
};

struct NearbyDevice {
    std::string address;  // "c0:5e:77:20:00:02"
    std::string kind;     // of the address, "public" or "random"; "" where nobody says
    std::string name;
    bool connects = false, scanned = false;  // takes connections, answers scan requests
    std::optional<double> level_dbm = {};    // nothing where nobody says

    std::string text() const;  // "c0:5e:77:20:00:02 (Skerry-2)"
};

// "connect, scan", "connect", "scan" or "neither".
const char* allows(const NearbyDevice& device);
// How its packet errors can be counted: "scan requests", "connection" or "none".
const char* counting_method(const NearbyDevice& device);

struct Devices {
    using Setup = DeviceSetup;
    static constexpr const char* kind = "devices";
    static constexpr const char* needed =
        "a list of devices (a table \"address,kind,name,allows,level [dBm]\")";  // what a procedure says

    std::vector<NearbyDevice> found;
    std::optional<double> observed_s{};     // how long it was looked for them
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot

    std::optional<double> seconds() const { return observed_s; }
};

// Throws Error(input) for an address that is none or stands there twice, and a level that is none.
void require_valid(const Devices& devices, const std::string& place);

// Nobody around is possible as well.
inline std::string implausible(const Devices&) {
    return {};
}

}  // namespace rt
