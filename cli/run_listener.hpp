// A run on the console: a line a point, progress, questions to the operator, the live page.
#pragma once

#include <chrono>
#include <condition_variable>
#include <map>
#include <mutex>
#include <optional>
#include <stop_token>
#include <string>
#include <thread>

#include "cli/campaign_options.hpp"
#include "cli/run_table.hpp"
#include "cli/teller.hpp"
#include "lab/clock.hpp"
#include "lab/report/live_page.hpp"
#include "lab/report/live_server.hpp"
#include "lab/run/listener.hpp"

namespace rt::cli {

// True when the operator at a terminal can be asked.
bool somebody_there(const Call& call);

// A question on the terminal; what comes after the end of input is "stop".
std::string read_line(const std::string& question);

class ConsoleListener : public Teller {
  public:
    // `replies` answer requests by name.
    ConsoleListener(const Call& call, const LoadedCampaign& loaded, Answers replies);
    ~ConsoleListener() override;

    void begun(const std::filesystem::path& folder, const std::string& unit,
               const VerdictCounts& earlier) override;
    void connected(const InstrumentRecord& instrument) override;
    void point_done(const PointRecord& point, const Progress& progress) override;
    void measuring(const std::string& test, const std::string& label, const Progress& progress) override;
    void waiting(const std::string& what, double seconds_left) override;
    void event(const EventRecord& event) override;
    Reply ask(const Request& request) override;
    std::optional<std::string> read(const Request& request) override;
    bool answered_by_person(const Request& request) const override {
        return person_ || replies_.contains(request.name);
    }
    bool somebody() const override { return person_; }
    Reply ending() override;
    std::optional<char> key(const std::string& test, const std::string& text) override;

    // The page's last state.
    void finish(const std::string& state, bool with_report) override;

  private:
    Reply asked(const Request& request);
    // Tells it, draws it into the run's folder, and gives the drawing.
    std::string show_wiring(const std::string& name) const;
    void say_progress();
    void show_status();
    void hide_status();
    void tick(const std::stop_token& stop);

    const Call& call_;
    const Console& console_;
    const LoadedCampaign& loaded_;
    Answers replies_;
    std::filesystem::path folder_;
    std::string unit_;
    bool json_, stop_at_failure_, person_;
    VerdictCounts counts_;
    bool failed_ = false;  // a point of this part of the run
    std::optional<LivePage> live_;
    std::optional<LiveServer> server_;
    RunTable table_;
    Progress progress_;
    std::string now_;  // what is measured
    bool said_last_ = false;
    // The line that stays tells how long a capture has taken, second by second.
    std::mutex mutex_;
    std::condition_variable_any wake_;
    std::string status_;  // "" while something is asked
    Stopwatch since_;
    std::jthread ticker_;
    Deadline said_{0}, said_waiting_{0};  // where no status line stays: when progress is told again
};

// Throws Error(input) when the plan will ask something and nobody and no file can answer.
void require_somebody(const Call& call, const Plan& plan, const Answers& replies);

// Names that requests of this plan have, for answers files.
std::vector<std::string> prompt_names(const Plan& plan);

}  // namespace rt::cli
