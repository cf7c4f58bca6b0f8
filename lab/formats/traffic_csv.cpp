#include "lab/formats/traffic_csv.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"

namespace rt::lab {
namespace {

using Latency = TrafficFlow::Latency;

constexpr std::array latencies{std::pair{"latency least", &Latency::least_s},
                               std::pair{"latency 50 %", &Latency::half_s},
                               std::pair{"latency 90 %", &Latency::most_90_s},
                               std::pair{"latency 99 %", &Latency::most_99_s},
                               std::pair{"latency 99.9 %", &Latency::most_999_s},
                               std::pair{"latency greatest", &Latency::greatest_s},
                               std::pair{"jitter", &Latency::jitter_s}};
constexpr std::array whole_numbers{std::pair{"octets", &TrafficFlow::octets},
                                   std::pair{"sent", &TrafficFlow::sent},
                                   std::pair{"received", &TrafficFlow::received},
                                   std::pair{"duplicates", &TrafficFlow::duplicates},
                                   std::pair{"reordered", &TrafficFlow::reordered},
                                   std::pair{"damaged", &TrafficFlow::damaged},
                                   std::pair{"lost by the tool", &TrafficFlow::tool_lost}};

}  // namespace

std::string traffic_csv(const Traffic& traffic) {
    std::string out;
    const auto line = [&](const std::string& key, const std::string& value) {
        out += "# " + key + ": " + value + "\n";
    };
    if (traffic.distrust) line("distrust", *traffic.distrust);
    for (const auto& flow : traffic.flows) {
        for (const auto& [key, member] : whole_numbers)
            line(flow.way + " " + key, std::to_string(flow.*member));
        line(flow.way + " offered", exact(flow.offered_bps));
        line(flow.way + " seconds", exact(flow.seconds));
        if (!flow.latency) continue;
        for (const auto& [key, member] : latencies)
            line(flow.way + " " + key, exact((*flow.latency).*member));
        if (flow.latency->uncertain_s > 0)
            line(flow.way + " clocks within", exact(flow.latency->uncertain_s));
    }
    out += std::string(traffic_heading) + "\n";
    for (const auto& flow : traffic.flows)
        for (const auto& step : flow.steps)
            out += flow.way + "," + exact(step.at_s) + "," + std::to_string(step.sent) + "," +
                   std::to_string(step.received) + "\n";
    return out;
}

Traffic parse_traffic_csv(std::string_view text, const std::string& file) {
    const CsvTable csv(text, file, "way,time [s],sent,received");
    Traffic out;
    if (const std::string why = csv.remark("distrust"); !why.empty()) out.distrust = why;
    const auto number = [&](const std::string& key) -> std::optional<double> {
        const std::string value = csv.remark(key);
        if (value.empty()) return std::nullopt;
        const auto parsed = to_double(value);
        if (!parsed || *parsed < 0 || *parsed > 1e18)
            fail_input(file, "the remark " + in_quotes(key) + " is no number: " + in_quotes(value));
        return parsed;
    };
    for (const std::string way : {"forward", "backward"}) {
        if (!number(way + " sent")) continue;
        TrafficFlow flow;
        flow.way = way;
        for (const auto& [key, member] : whole_numbers) {
            const auto value = number(way + " " + key);
            if (!value) fail_input(file, "needs a remark above the table: # " + way + " " + key + ": NUMBER");
            flow.*member = static_cast<std::uint64_t>(*value);
        }
        const auto offered = number(way + " offered"), seconds = number(way + " seconds");
        if (!offered || !seconds)
            fail_input(file, "needs the remarks \"" + way + " offered\" (bit/s) and \"" + way + " seconds\"");
        flow.offered_bps = *offered, flow.seconds = *seconds;
        const bool timed = number(way + " latency least").has_value();
        if (timed) flow.latency.emplace();
        for (const auto& [key, member] : latencies) {
            const auto value = number(way + " " + key);
            if (value.has_value() != timed)
                fail_input(file, "latencies " + way + " are stated in part: " + key);
            if (timed) (*flow.latency).*member = *value;
        }
        if (timed) flow.latency->uncertain_s = number(way + " clocks within").value_or(0);
        out.flows.push_back(std::move(flow));
    }
    if (out.flows.empty())
        fail_input(file, "needs remarks above the table that say what was sent: # forward sent: NUMBER");
    const auto &way = csv.required("way"), &time = csv.required("time"), &sent = csv.required("sent"),
               &received = csv.required("received");
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        const auto flow = std::find_if(out.flows.begin(), out.flows.end(),
                                       [&](const auto& one) { return one.way == way.cells[row]; });
        if (flow == out.flows.end())
            fail_input(csv.place(way, row), in_quotes(way.cells[row]) + " is no way that the remarks name");
        const double s = csv.number(sent, row), r = csv.number(received, row);
        if (s < 0 || r < 0) fail_input(csv.place(sent, row), "counts are not negative");
        flow->steps.push_back(
            {csv.number(time, row), static_cast<std::uint64_t>(s), static_cast<std::uint64_t>(r)});
    }
    require_valid(out, file);
    return out;
}

}  // namespace rt::lab
