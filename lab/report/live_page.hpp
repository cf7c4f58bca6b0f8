// A page in the run folder that shows a run while it goes on; a browser opens it and it renews itself.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "lab/clock.hpp"
#include "lab/model/record.hpp"
#include "lab/run/pace.hpp"

namespace rt::lab {

inline constexpr const char* live_file = "live.html";

class LivePage {
  public:
    // `counts` are those of an earlier part of the run.
    LivePage(std::filesystem::path folder, std::string title, std::string unit, const VerdictCounts& counts);

    void point(const PointRecord& point, const Progress& progress);
    void event(const EventRecord& event);
    void say(const std::string& what);
    // What the operator is asked for, with a drawing of what is connected where (SVG; "" for none).
    void ask(const std::string& what, const std::string& drawing);
    // The last one, which no longer renews itself.
    void finish(const std::string& state, bool with_report);

  private:
    // Replaces the page, at most every two seconds and never for more than a twentieth of the time.
    void renew(bool now);
    std::string page(bool renewing) const;
    void draw_curves();

    std::filesystem::path folder_;
    std::string title_, unit_, state_ = "running", doing_, drawing_;
    Progress progress_;
    VerdictCounts counts_;
    std::vector<PointRecord> points_;  // of the test under way
    std::vector<PointRecord> last_;    // the last few, of all tests
    std::vector<EventRecord> events_;
    std::vector<std::string> curves_;  // SVG
    bool with_report_ = false;
    Stopwatch start_;
    Deadline next_{0};  // when it may be renewed
};

}  // namespace rt::lab
