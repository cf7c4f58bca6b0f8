#include "cli/bench_look.hpp"

#include <algorithm>

#include "cli/look.hpp"
#include "cli/parameter_options.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "lab/captures/kind.hpp"

namespace rt::cli {
namespace {

// What shows most of what an instrument of a kind sees, where nobody names a procedure.
const char* usual_procedure(std::string_view kind) {
    if (kind == "analyser") return "spectrum.markers";
    if (kind == "oscilloscope") return "pulse.edges";
    if (kind == "network-analyser") return "network.parameters";
    if (kind == "power-meter") return "power.level";
    if (kind == "counter") return "receiver.error-rate";
    if (kind == "source-measure") return "device.curves";
    return "";
}

}  // namespace

ExitCode look_at_role(const Call& call, const Bench& bench, SimulatedBench& simulated) {
    const std::string name = call.text("look");
    const Instrument* instrument = bench.find(name);
    if (!instrument)
        fail_input("--look " + name + ": the bench has no such role" + suggestion(name, bench.roles()));
    if (!instrument->place.speaks()) fail_input("--look " + name + ": it takes no messages");
    std::string chosen = call.text("procedure");
    if (chosen.empty()) chosen = usual_procedure(instrument->dialect.kind->name);
    if (chosen.empty())
        fail_input("--look " + name +
                   ": say by --procedure what is to be looked at; rare-tally measure --list names "
                   "them");
    const Procedure& procedure = find_procedure(chosen);
    Parameters parameters(procedure.parameters);
    set_parameters(parameters, call.texts("set"));
    parameters.fill_defaults();
    const CaptureSetup setup = procedure.setup(parameters);
    const auto& kind = kind_of(setup);
    if (!instrument->is(kind.instrument()))
        fail_input(std::string(procedure.name) + " takes its captures with an instrument of kind " +
                   kind.instrument() + ", and the " + name + " is of kind " + instrument->dialect.kind->name);
    InstrumentRole role(ScpiSession(*instrument, simulated.place_of(*instrument)));
    look_until_enough(call.console, name + ": " + kind.describe(setup),
                      [&] { return measure(procedure, kind.acquire(role, setup), parameters); });
    return ExitCode::passed;
}

}  // namespace rt::cli
