// A run that another program drives: what happens goes out as JSON, a line each, and replies come in the same
// way. The lines are described in docs/driving.md.
#pragma once

#include <condition_variable>
#include <deque>
#include <mutex>
#include <optional>
#include <string>
#include <thread>

#include <nlohmann/json_fwd.hpp>

#include "cli/campaign_options.hpp"
#include "cli/teller.hpp"

namespace rt::cli {

// Lines of stdin, read as they come; requests on stdout wait for theirs.
class Dialogue {
  public:
    Dialogue();
    ~Dialogue();

    void say(nlohmann::ordered_json line);
    // Tells it with a number and waits for {"id": the number, "reply": "text"}. Nothing when stdin has ended,
    // or a command has ended the run meanwhile.
    std::optional<std::string> ask(nlohmann::ordered_json line);
    // What {"command": ...} has asked for since it was asked last.
    RunListener::Reply command();

  private:
    void listen();
    void take(const std::string& line);
    void complain(const std::string& what, const std::string& line);

    std::mutex mutex_, output_;
    std::condition_variable changed_;
    long asked_ = 0;
    std::optional<std::string> reply_;
    RunListener::Reply wanted_ = RunListener::Reply::go;
    bool ended_ = false;
    std::jthread reader_;
};

class DrivenListener : public Teller {
  public:
    DrivenListener(Dialogue& dialogue, const LoadedCampaign& loaded, Answers replies, bool stop_at_failure)
        : dialogue_(dialogue),
          loaded_(loaded),
          replies_(std::move(replies)),
          stop_at_failure_(stop_at_failure) {}

    void begun(const std::filesystem::path& folder, const std::string& unit,
               const VerdictCounts& earlier) override;
    void connected(const InstrumentRecord& instrument) override;
    void measuring(const std::string& test, const std::string& label, const Progress& progress) override;
    void point_done(const PointRecord& point, const Progress& progress) override;
    void event(const EventRecord& event) override;
    void waiting(const std::string& what, double seconds_left) override;
    Reply ask(const Request& request) override;
    std::optional<std::string> read(const Request& request) override;
    bool somebody() const override { return true; }
    Reply ending() override;
    void finish(const std::string&, bool) override {}

  private:
    Dialogue& dialogue_;
    const LoadedCampaign& loaded_;
    Answers replies_;
    bool stop_at_failure_, failed_ = false;
    VerdictCounts counts_;
};

}  // namespace rt::cli
