// A first dialect for an instrument that nobody has adapted yet: asked who it is, what it has, and tried with
// alternatives, questions before commands.
#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "lab/model/dialect.hpp"
#include "lab/session/session.hpp"

namespace rt::lab {

struct BegunLine {
    enum class End {
        as_like,  // the text of the dialect that it begins from works
        other,    // another text does
        none,     // nothing that was tried works, and it can be done without
        person,   // nothing works, and it is needed
    };
    std::string command, text, note;
    std::vector<std::string> tried;
    End end = End::none;
};

struct BegunDialect {
    std::string identity;
    bool greets = false;
    std::size_t headers = 0;  // how many it lists of itself; 0 when it does not
    std::vector<BegunLine> lines;
    std::vector<std::string> detectors_refused;  // words of the dialect that it begins from
    std::string data;                            // a [[data]] section; "" when that of the other fits
    std::vector<std::string> decide;             // what a person must decide, in words

    std::string text;  // the file
};

// `like` is a dialect of the kind. Nothing is switched on, moved or raised: settings are set to what the
// instrument says that it has. Throws Error(bench) when nobody answers who it is.
BegunDialect begin_dialect(Session& session, const Dialect& like, const std::string& id,
                           std::chrono::milliseconds patience);

}  // namespace rt::lab
