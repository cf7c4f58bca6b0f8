#include <cstdlib>

#include "cli/store_option.hpp"
#include "lab/store/shared_store.hpp"

namespace rt::cli {

std::string store_address(const Call& call) {
    if (call.flag("store")) return call.text("store");
    const char* set = std::getenv("RARE_TALLY_STORE");
    return set ? set : defaults_of_today().store;
}

namespace {

ExitCode perform_push(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.empty()) fail_input("push needs a run folder: rare-tally push RUN --store ADDRESS");
    const std::string address = store_address(call);
    if (address.empty())
        fail_input("push needs --store ADDRESS (postgresql://lab@store.example/tally), or RARE_TALLY_STORE");
    SharedStore store(address);
    for (const auto& folder : folders) {
        tell_signature(call, folder);
        const Pushed pushed = store.push(folder);
        call.console.out(folder + (pushed == Pushed::fresh  ? ": put into the store"
                                   : pushed == Pushed::same ? ": is in the store as it is"
                                                            : ": takes the place of its earlier state"));
    }
    return ExitCode::passed;
}

}  // namespace

Command push_command() {
    return {"push",
            "RUN... --store ADDRESS",
            "put kept runs into the lab's shared store (PostgreSQL)",
            "rare-tally push first-run --store postgresql://lab@store.example/tally",
            {store_option},
            "run",
            perform_push};
}

}  // namespace rt::cli
