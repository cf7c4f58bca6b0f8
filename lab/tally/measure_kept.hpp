// Kept captures measured again.
#pragma once

#include <filesystem>

#include "core/measure/procedure.hpp"
#include "lab/model/analysis.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

// One parameter of a point as it was: stated, or a default. Throws Error(input) as Parameters::set().
void set_kept(Parameters& parameters, const PointRecord& point, const std::string& name,
              const std::string& value);

// What the procedure makes of the capture of a point, with the point's parameters. Throws Error(input) when
// the capture is missing or its hash is not the one in the tally. The program of an analysis of the user's
// own (`own`) is not started: its answer was kept.
Outcome measure_kept(const std::filesystem::path& run, const Procedure& procedure, const OwnProcedure* own,
                     const PointRecord& point);

}  // namespace rt::lab
