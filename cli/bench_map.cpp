#include "cli/bench_map.hpp"

#include <algorithm>

#include "cli/run_listener.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/stage_map.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/wafer_map_file.hpp"

namespace rt::cli {

ExitCode write_map(const Call& call, const Bench& bench, SimulatedBench& simulated) {
    const std::filesystem::path file = call.text("map");
    if (file.extension() != ".toml") fail_input("--map " + file.string() + ": the name must end in .toml");
    if (std::filesystem::exists(file)) fail_input(file.string(), "is there already: give another name");
    const auto stage = std::find_if(bench.instruments.begin(), bench.instruments.end(),
                                    [](const Instrument& i) { return i.is("wafer-stage"); });
    if (stage == bench.instruments.end())
        fail_input(bench.file.string(), "has no instrument of kind wafer-stage, which a map could come from");
    Lead lead;
    if (call.flag("teach")) {
        lead = [](const std::string& where) {
            for (;;) {
                const auto answer =
                    read_line("move the stage to " + where + "  [Enter when it is there, or stop] ");
                if (answer.empty() || answer == "go") return true;
                if (answer == "stop") return false;
            }
        };
    }
    InstrumentRole role(ScpiSession(*stage, simulated.place_of(*stage)));
    const WaferMap map = map_of_stage(role, call.text("reference"), lead);
    write_file(file, wafer_map_text(map));
    call.console.out(std::to_string(map.dies.size()) + " dies of " + format({map.pitch_x_m, Unit::metre}) +
                     " by " + format({map.pitch_y_m, Unit::metre}) + ", " +
                     std::to_string(map.devices.size()) + " devices");
    for (const auto& device : map.devices)
        call.console.out("  " + printable(device.name) + "  at " + format({device.x_m, Unit::metre}) + ", " +
                         format({device.y_m, Unit::metre}));
    call.console.out("wrote " + file.string());
    return ExitCode::passed;
}

}  // namespace rt::cli
