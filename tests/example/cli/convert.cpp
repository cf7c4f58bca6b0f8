// convert: a value in another unit.
#include "cli/command.hpp"
#include "core/base/error.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::cli {
namespace {

ExitCode perform_convert(const Call& call) {
    const auto words = call.texts("words");
    if (words.size() != 2) fail_input("convert needs a value and a unit: rare-tally convert \"1 mW\" dBm");
    const auto unit = parse_unit(words[1]);
    if (!unit) fail_input("unknown unit " + words[1]);
    call.console.out(format(parse_quantity(words[0], unit->unit)));
    return ExitCode::passed;
}

}  // namespace

Command convert_command() {
    return {"convert",
            "VALUE UNIT",
            "a value in another unit of the same dimension",
            "rare-tally convert \"1 mW\" dBm",
            {},
            "words",
            perform_convert};
}

}  // namespace rt::cli
