// Who tells of a run until its end.
#pragma once

#include <string>

#include "lab/run/listener.hpp"

namespace rt::cli {

class Teller : public lab::RunListener {
  public:
    // What the run has come to: "complete", "stopped", "aborted".
    virtual void finish(const std::string& state, bool with_report) = 0;
};

}  // namespace rt::cli
