// radio.advertising: who advertises on the three channels of Bluetooth LE, how strongly, and what it allows.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/dsp/channel.hpp"
#include "core/dsp/parallel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/radio/gfsk/demodulate.hpp"
#include "core/short_range/advertising.hpp"
#include "core/short_range/devices.hpp"

namespace rt {
namespace {

constexpr auto advertising_parameters = joined(
    std::array{
        ParameterInfo{"device", ParameterKind::text, Unit::none, "",
                      "the device that is meant: its address, its name, or strongest; needed where several "
                      "are heard"},
        ParameterInfo{"least_level", ParameterKind::quantity, Unit::dbm, "",
                      "devices below this are left out of the list"},
        iq_centre_parameter,
    },
    trigger_rows,
    std::array{
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "100 MHz",
                      "complex samples per second that the analyser records"},
    },
    iq_part_rows);

constexpr std::array advertising_traces{Product{"power", Unit::dbm, "highest power of each piece of time"}};
constexpr std::array advertising_products{
    Product{"devices", Unit::count, "that were heard, at least as strong as least_level"},
    Product{"power", Unit::dbm,
            "of the device meant: mean of a packet, highest of all, on its strongest channel"},
    Product{"power_37", Unit::dbm, "the same at 2402 MHz"},
    Product{"power_38", Unit::dbm, "at 2426 MHz"},
    Product{"power_39", Unit::dbm, "at 2480 MHz"},
    Product{"power_spread", Unit::db, "between the strongest and the weakest of its channels"},
    Product{"channels", Unit::count, "of the three on which it was heard"},
    Product{"packets", Unit::count, "of the device, intact"},
    Product{"frequency_offset", Unit::hertz, "of its carrier in the preamble, farthest from 0"},
    Product{"connectable", Unit::none, "1 where it takes connections, else 0"},
    Product{"scannable", Unit::none, "1 where it answers scan requests, else 0"},
    Product{"scan_requests", Unit::count, "to the device, seen on the air"},
    Product{"packet_error_ratio", Unit::percent,
            "of these that it did not answer, or by a damaged packet; only where there were any",
            Trend::falling},
    Product{"packets_damaged", Unit::count, "of anybody, with a wrong check"},
};

constexpr double answer_after_s = 150e-6, answer_within_s = 4e-6;

struct Heard {
    gfsk::AdvertisingChannel channel{};
    std::size_t record = 0;
    double begin_s = 0, end_s = 0;  // of the packet, in its record
    double power = 0, offset_hz = 0;
    bool good = false;
    gfsk::Advertising says;
};

// All packets of one channel of one record.
std::vector<Heard> heard_on(const IqRecord& record, std::size_t number, gfsk::AdvertisingChannel channel,
                            const Parameters& p) {
    const double shift = channel.frequency_hz - record.centre_hz;
    const IqRecord alone = channel_of(record, shift, {0.9e6, 0.7e6});
    const BurstList list = bursts_of(alone, p);
    std::vector<Heard> out(list.bursts.size());
    std::vector<char> there(out.size(), 0);
    in_parallel(out.size(), [&](std::size_t i) {
        const Burst& burst = list.bursts[i];
        const auto piece = burst_samples(record, burst, 6e-6, shift);
        constexpr double filter_hz = 2.4e6;
        const auto attempt =
            gfsk::demodulate(piece.samples, record.sample_rate_hz, filter_hz,
                             gfsk::advertising_access_address, gfsk::advertising_crc_initial, channel.index);
        if (!attempt.packet) return;
        const auto& packet = *attempt.packet;
        Heard& one = out[i];
        one.channel = channel, one.record = number, one.good = packet.crc_ok;
        one.begin_s = piece.first_s + packet.start_s;
        one.end_s = one.begin_s + 1e-6 * static_cast<double>(packet.bits.size());
        one.power = burst.power, one.offset_hz = packet.preamble_offset_hz;
        if (packet.crc_ok) one.says = gfsk::read_advertising(packet.header, packet.payload);
        there[i] = 1;
    });
    std::vector<Heard> kept;
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (there[i]) kept.push_back(std::move(out[i]));
    }
    return kept;
}

// Whoever sends packets under one address.
struct Device : NearbyDevice {
    std::map<unsigned, double> power;  // by channel, highest
    double offset_hz = 0;
    std::size_t packets = 0;
    std::string kinds;
    std::optional<int> stated_dbm;

    double strongest() const {
        double out = 0;
        for (const auto& [channel, power_here] : power) out = std::max(out, power_here);
        return out;
    }
};

bool own_packet(gfsk::AdvertisingKind kind) {
    return kind != gfsk::AdvertisingKind::scan_request && kind != gfsk::AdvertisingKind::connection_request &&
           kind != gfsk::AdvertisingKind::reserved;
}

std::vector<Device> devices_of(const std::vector<Heard>& all) {
    std::vector<Device> out;
    for (const Heard& one : all) {
        if (!one.good || !own_packet(one.says.kind) || one.says.address.empty()) continue;
        auto at = std::find_if(out.begin(), out.end(),
                               [&](const Device& d) { return d.address == one.says.address; });
        if (at == out.end()) {
            at = out.insert(out.end(), Device{});
            at->address = one.says.address, at->kind = one.says.random_address ? "random" : "public";
        }
        at->connects = at->connects || one.says.can_connect;
        at->scanned = at->scanned || one.says.can_be_scanned;
        if (!one.says.local_name.empty()) at->name = one.says.local_name;
        if (one.says.stated_power_dbm) at->stated_dbm = one.says.stated_power_dbm;
        double& power = at->power[one.channel.index];
        power = std::max(power, one.power);
        at->offset_hz = farther(at->offset_hz, one.offset_hz);
        const std::string kind = gfsk::name(one.says.kind);
        if (at->kinds.find(kind) == std::string::npos) at->kinds += (at->kinds.empty() ? "" : ", ") + kind;
        ++at->packets;
    }
    std::sort(out.begin(), out.end(),
              [](const Device& a, const Device& b) { return a.strongest() > b.strongest(); });
    return out;
}

// Requests to the device that were not answered 150 us behind, or by a damaged packet.
void count_answers(const std::vector<Heard>& all, const Device& device, Outcome& outcome) {
    std::size_t requests = 0, answers = 0;
    for (const Heard& request : all) {
        if (!request.good || request.says.kind != gfsk::AdvertisingKind::scan_request ||
            request.says.address != device.address)
            continue;
        ++requests;
        answers += std::any_of(all.begin(), all.end(), [&](const Heard& answer) {
            return answer.good && answer.record == request.record &&
                   answer.channel.index == request.channel.index &&
                   answer.says.kind == gfsk::AdvertisingKind::scan_response &&
                   answer.says.address == device.address &&
                   std::abs(answer.begin_s - request.end_s - answer_after_s) < answer_within_s;
        });
    }
    outcome.add("scan_requests", static_cast<double>(requests), Unit::count);
    if (requests > 0)
        outcome.add("packet_error_ratio",
                    100 * static_cast<double>(requests - answers) / static_cast<double>(requests),
                    Unit::percent);
}

Table table_of(const std::vector<Device>& devices, const IqRecord& record) {
    const Unit level = level_of(record, 1).unit;
    Table out{"devices",
              "Devices",
              {{"address"},
               {"kind"},
               {"name"},
               {"allows"},
               {"method"},
               {"packet_types"},
               {"2402 MHz", level},
               {"2426 MHz", level},
               {"2480 MHz", level},
               {"offset", Unit::hertz},
               {"packets", Unit::count}},
              {}};
    for (const auto& device : devices) {
        const auto power = [&](unsigned channel) -> Table::Cell {
            const auto at = device.power.find(channel);
            if (at == device.power.end()) return std::string();
            return level_of(record, at->second).value;
        };
        out.rows.push_back({device.address, device.kind, device.name, std::string(allows(device)),
                            std::string(counting_method(device)), device.kinds, power(37), power(38),
                            power(39), device.offset_hz, static_cast<double>(device.packets)});
    }
    return out;
}

constexpr std::array advertising_inputs{
    InputInfo{"record", "complex samples over one, two or all three channels", true, nullptr, true}};

Outcome measure_advertising(Inputs inputs, const Parameters& p) {
    std::vector<IqRecord> records;
    for (const auto& input : inputs.all()) records.push_back(take_iq(input.capture, "radio.advertising", p));
    std::vector<Heard> all;
    std::size_t looked_at = 0;
    for (std::size_t r = 0; r < records.size(); ++r) {
        const IqRecord& record = records[r];
        if (record.sample_rate_hz < 4e6)
            fail_input("GFSK at 1 Mbit/s needs at least 4 million samples a second, the record has " +
                       format({record.sample_rate_hz, Unit::hertz}));
        if (level_of(record, 1).unit != level_of(records.front(), 1).unit)
            fail_input("some of the records state their reference level and others do not");
        for (const auto& channel : gfsk::advertising_channels) {
            // The whole of its 2 MHz must be in the record.
            if (std::abs(channel.frequency_hz - record.centre_hz) + 1e6 > record.sample_rate_hz / 2) continue;
            ++looked_at;
            auto more = heard_on(record, r, channel, p);
            all.insert(all.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
        }
    }
    if (looked_at == 0)
        fail_signal("no advertising channel (2402, 2426, 2480 MHz) lies in the record of " +
                    format({records.front().sample_rate_hz, Unit::hertz}) + " around " +
                    format({records.front().centre_hz, Unit::hertz}));
    Outcome out;
    const IqRecord& first = records.front();
    std::vector<Device> devices = devices_of(all);
    if (const auto least = p.number("least_level")) {
        if (level_of(first, 1).unit != Unit::dbm)
            fail_input("parameter least_level: the record states no reference level");
        std::erase_if(devices,
                      [&](const Device& d) { return level_of(first, d.strongest()).value < *least; });
    }
    out.traces.push_back(power_trace(first));
    out.tables.push_back(table_of(devices, first));
    const auto damaged = static_cast<double>(
        std::count_if(all.begin(), all.end(), [](const Heard& one) { return !one.good; }));
    const std::vector<NearbyDevice> nearby(devices.begin(), devices.end());
    const auto chosen = choose_device(
        nearby, p.text("device"),
        [&](std::size_t i) { return format(level_of(first, devices[i].strongest()), 3); }, out);
    if (!chosen) {
        if (!devices.empty()) out.add("devices", static_cast<double>(devices.size()), Unit::count);
        if (devices.empty() && damaged > 0) *out.invalid += fmt::format(": {} packets came damaged", damaged);
        return out;
    }
    const Device* device = &devices[*chosen];
    out.add("devices", static_cast<double>(devices.size()), Unit::count);
    out.results.push_back({"power", level_of(first, device->strongest()), {}});
    double weakest = 1e300;
    for (const auto& [channel, power] : device->power) {
        out.results.push_back({fmt::format("power_{}", channel), level_of(first, power), {}});
        weakest = std::min(weakest, power);
    }
    if (device->power.size() > 1)
        out.add("power_spread", 10 * std::log10(device->strongest() / weakest), Unit::db);
    out.add("channels", static_cast<double>(device->power.size()), Unit::count);
    out.add("packets", static_cast<double>(device->packets), Unit::count);
    out.add("frequency_offset", device->offset_hz, Unit::hertz);
    add_abilities(*device, out);
    count_answers(all, *device, out);
    out.add("packets_damaged", damaged, Unit::count);
    out.notes.push_back(
        "device: " + device->text() + ", " + device->kinds +
        (device->stated_dbm ? fmt::format(", states {} dBm itself", *device->stated_dbm) : ""));
    if (looked_at < 3)
        out.notes.push_back(fmt::format("{} of the three channels lie in the record{}", looked_at,
                                        records.size() > 1 ? "s" : ""));
    note_reference(first, out);
    return out;
}

}  // namespace

Procedure radio_advertising() {
    return {
        "radio.advertising",
        "Devices that advertise by Bluetooth LE",
        "Packets of the three advertising channels, out of one wide record or several: who sends them, how "
        "strongly on each channel, and what he allows (connections, scan requests, neither). Results are "
        "those of the device meant; none where several are heard and none is named. A scan request that is "
        "not answered 150 us behind, or by a damaged packet, counts as lost. Power is that of the packet "
        "within 1.8 MHz.",
        advertising_parameters,
        advertising_traces,
        advertising_products,
        iq_setup,
        nullptr,
        preset_named,
        nullptr,
        false,
        advertising_inputs,
        measure_advertising};
}

}  // namespace rt
