// Who is told what happens in a run, and asked what to do.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

#include "lab/model/record.hpp"
#include "lab/model/test.hpp"
#include "lab/run/pace.hpp"

namespace rt::lab {

// Something that the operator decides.
struct Request {
    enum class Kind {
        connections,  // everything is connected as drawn
        prompt,       // what the test asks for is done
        axis,         // a slow axis has its next value
        by_hand,      // the unit has been set
        unexpected,   // the signal is not the one expected
        failure,      // a point has failed
        look,         // whether what a person looks at is in order
        reading,      // what an indicator shows
        choice,       // which of the values found are measured; an empty line is an answer
        after,        // whether what a test has measured is to stand
    };
    Kind kind = Kind::prompt;
    std::string name;  // of the test, or "connections": answers files use it
    std::string text;
    bool may_redo = false;
    // Takes what comes in now, to look at: nothing of it is kept. Empty where there is nothing to look at.
    std::function<Outcome()> look = {};
};

// What is done by hand and what is looked at are answered apart.
inline std::string look_name(const Test& test) {
    return test.name + "-look";
}

// What is asked after a test too.
inline std::string after_name(const Test& test) {
    return test.name + "-after";
}

class RunListener {
  public:
    virtual ~RunListener() = default;
    // The run folder is there; `unit` is model and serial as the run has them, answers included; `earlier`
    // are the verdicts of a run that is carried on.
    virtual void begun(const std::filesystem::path&, const std::string& /*unit*/,
                       const VerdictCounts& /*earlier*/) {}
    virtual void connected(const InstrumentRecord& instrument) = 0;
    // A point is about to be measured.
    virtual void measuring(const std::string& /*test*/, const std::string& /*label*/, const Progress&) {}
    virtual void point_done(const PointRecord& point, const Progress& progress) = 0;
    virtual void event(const EventRecord&) {}
    // go: done, or leave it as it is; redo: measure again; skip: the rest of the test; stop: the run.
    enum class Reply { go, redo, skip, stop };
    virtual Reply ask(const Request& request) = 0;
    // A line that a person types, for what is read by hand; nothing where nobody is there.
    virtual std::optional<std::string> read(const Request&) { return std::nullopt; }
    // One key that somebody presses, for what is stepped by hand; nothing when he has done, or nobody is
    // there.
    virtual std::optional<char> key(const std::string& /*test*/, const std::string& /*text*/) {
        return std::nullopt;
    }
    // Whether a person answers it, now or beforehand: not when a run goes on by itself.
    virtual bool answered_by_person(const Request&) const { return true; }
    // A wait that takes a while, told about once a second.
    virtual void waiting(const std::string& /*what*/, double /*seconds_left*/) {}
    // Whether somebody is there who could end what goes on until it is stopped.
    virtual bool somebody() const { return false; }
    // Asked before every point, and while something is waited for: go, or what somebody wants to end in good
    // order: skip, the rest of the test; stop, the run.
    virtual Reply ending() = 0;
};

// Thrown when the operator ends a test or the run in the middle of a point.
struct Interruption {
    RunListener::Reply reply;  // skip or stop
};

}  // namespace rt::lab
