// What a point rests on besides the bench: captures and results of other tests, settings out of calibrations.
#pragma once

#include <filesystem>
#include <string>

#include "lab/run/around.hpp"
#include "lab/run/calibrations.hpp"
#include "lab/run/measured.hpp"
#include "lab/run/taker.hpp"

namespace rt::lab {

class Grounds {
  public:
    // `unit` are the details of the unit by name. All must outlive this.
    Grounds(const Plan& plan, const Measured& measured, const Calibrations& calibrations,
            const std::filesystem::path& folder, const TextPairs& unit)
        : plan_(plan), measured_(measured), calibrations_(calibrations), folder_(folder), unit_(unit) {}

    // A point with everything that it rests on.
    PointJob job_of(const PlannedTest& planned, const Sweep& sweep, const Point& point, PointKind kind,
                    const std::string& parent = {}) const;

    // Whether what a kept point was made with and judged by still counts.
    bool stand(const PointRecord& record) const { return inputs_stand(record) && limits_stand(record); }
    // The same of a conclusion, whose inputs are tables: these would be the same now.
    // `sweep` is that of the point.
    bool conclusion_stands(const PlannedTest& planned, const Sweep& sweep, const Point& point,
                           const PointRecord& kept) const {
        return still_drawn_from(planned, sweep, point, kept) && limits_stand(kept);
    }

  private:
    bool inputs_stand(const PointRecord& record) const;
    bool limits_stand(const PointRecord& record) const;
    bool still_drawn_from(const PlannedTest& planned, const Sweep& sweep, const Point& point,
                          const PointRecord& kept) const;
    // What settings that come from calibrations are here; gives why one cannot be had, "" when all can.
    std::string adjusted_settings(
        const Test& test, const TextPairs& axes, TextPairs& out,
        std::vector<std::pair<std::string, std::vector<std::string>>>& tables) const;

    const Plan& plan_;
    const Measured& measured_;
    const Calibrations& calibrations_;
    const std::filesystem::path& folder_;
    const TextPairs& unit_;
};

}  // namespace rt::lab
