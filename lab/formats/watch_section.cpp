#include "lab/formats/watch_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/input_section.hpp"

namespace rt::lab {
namespace {

constexpr std::array watch_keys{
    KeyInfo{"name", Key::text, true, "short name, unique in the campaign"},
    KeyInfo{"role", Key::text, true, "instrument that is asked"},
    KeyInfo{"quantity", Key::text, true, "what is asked: the dialect's command query_QUANTITY"},
    KeyInfo{"min", Key::quantity, false, "lowest value that is in order"},
    KeyInfo{"max", Key::quantity, false, "highest value that is in order"},
    KeyInfo{"every", Key::quantity, false,
            "how often, besides before and after each point; every second without it", Unit::second},
    KeyInfo{"action", Key::text, false,
            "outside: note (without it: an event only), pause (until it is back, then the point again), void "
            "(the point gets no verdict) or stop"},
    KeyInfo{"longest_pause", Key::quantity, false, "then the run stops; 10 min without it", Unit::second},
};

constexpr std::array recheck_keys{
    KeyInfo{"name", Key::text, true, "short name, unlike that of any test"},
    KeyInfo{"procedure", Key::text, true, "name of the procedure"},
    KeyInfo{"instrument", Key::text, false, "role of the instrument; analyser without it"},
    KeyInfo{"parameters", Key::pairs, false, "parameters of the procedure"},
    KeyInfo{"inputs", Key::pairs, false, "inputs from tests and files: { terms = \"test:calibration\" }"},
    KeyInfo{"settings", Key::pairs, false, "what is set before each check"},
    KeyInfo{"result", Key::text, true, "result that must stay as it was at the first check"},
    KeyInfo{"within", Key::quantity, true, "largest difference that is in order"},
    KeyInfo{"every", Key::quantity, false, "time between checks", Unit::second},
    KeyInfo{"every_points", Key::whole, false, "points between checks"},
    KeyInfo{"covers", Key::texts, false, "tests whose points it vouches for; all without it"},
};

const std::vector<std::string> actions{"note", "pause", "void", "stop"};

}  // namespace

const SectionInfo watch_section{"[[watch]]", "A side quantity that is watched through the run.", watch_keys};
const SectionInfo recheck_section{"[[recheck]]",
                                  "A measurement that is repeated: beyond the limit, points since the last "
                                  "good check lose their verdict and "
                                  "are measured again.",
                                  recheck_keys};

Watch read_watch(const ConfigSection& section) {
    Watch watch;
    watch.name = section.text("name");
    watch.role = section.text("role");
    watch.quantity = section.text("quantity");
    watch.min = section.quantity("min");
    watch.max = section.quantity("max");
    watch.where = section.place();
    if (!watch.min && !watch.max) section.fail("name", "a watch needs min or max");
    if (watch.min && watch.max && watch.min->unit != watch.max->unit)
        section.fail("max", "min and max need the same unit");
    watch.unit = watch.min ? watch.min->unit : watch.max->unit;
    watch.every_s = section.quantity_or("every", watch.every_s);
    if (!(watch.every_s > 0)) section.fail("every", "must be above 0 s");
    watch.longest_pause_s = section.quantity_or("longest_pause", watch.longest_pause_s);
    const std::string action = section.has("action") ? section.text("action") : "note";
    const auto at = std::find(actions.begin(), actions.end(), action);
    if (at == actions.end())
        section.fail("action", "unknown action " + in_quotes(action) + suggestion(action, actions));
    watch.action = static_cast<Watch::Action>(at - actions.begin());
    return watch;
}

Recheck read_recheck(const ConfigSection& section, const ProcedureLibrary& procedures,
                     const InputFiles& files, std::vector<NamedFile>& named) {
    const Procedure* procedure = nullptr;
    section.at("procedure", [&] { procedure = &procedures.find(section.text("procedure")); });
    Recheck recheck;
    recheck.test.name = recheck.test.title = section.text("name");
    recheck.test.procedure = procedure;
    recheck.test.instrument = section.has("instrument") ? section.text("instrument") : "analyser";
    recheck.test.parameters = Parameters(procedure->parameters);
    recheck.test.settings = section.pairs("settings");
    recheck.test.where = section.place();
    read_given(section, files, named, recheck.test);
    recheck.result = section.text("result");
    recheck.covers = section.texts("covers");
    section.at("parameters", [&] {
        for (const auto& [name, value] : section.pairs("parameters"))
            recheck.test.parameters.set(name, value);
        recheck.test.parameters.fill_defaults();
        procedure->setup(recheck.test.parameters);
    });
    const Product* product = nullptr;
    section.at("result", [&] { product = &procedure->result(recheck.result); });
    recheck.within =
        section.quantity_in("within", is_decibel(product->unit) ? Unit::db : product->unit)->value;
    if (!(recheck.within > 0)) section.fail("within", "must be above 0");
    recheck.every_s = section.quantity_or("every", recheck.every_s);
    const auto points = section.whole("every_points").value_or(0);
    if (recheck.every_s <= 0 && points <= 0) section.fail("name", "give every or every_points");
    recheck.every_points = static_cast<std::size_t>(std::max(points, 0LL));
    return recheck;
}

}  // namespace rt::lab
