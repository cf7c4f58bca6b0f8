// Traffic instruments: the one that the program itself is, and a simulated one in front of a simulated
// receiver.
#pragma once

#include <map>

#include "core/signal/traffic.hpp"
#include "lab/simulate/scpi_instrument.hpp"
#include "lab/traffic/ends.hpp"

namespace rt::lab {

// TRAFfic:FROM, TO, RATE, LENGth, TIME, WAY; INITiate, FETCh:TRAFfic?. What both have.
class TrafficInstrument {
  protected:
    ~TrafficInstrument() = default;
    void add_to(ScpiTree& tree);
    void forget();
    virtual Traffic pass() = 0;
    // Throws Error for an end that is not there.
    virtual void require_end(const std::string&) const {}

    std::string from_ = "127.0.0.1", to_ = "127.0.0.1";
    TrafficSetup setup_;

  private:
    std::optional<Traffic> passed_;
    std::string failed_;
};

// Sends real frames between two ends of this machine.
class TrafficAgent : public SimulatedInstrument, private TrafficInstrument {
  public:
    // `listen`: where frames from elsewhere arrive.
    explicit TrafficAgent(std::string listen = "127.0.0.1");
    std::optional<std::string> handle(std::string_view message) override { return tree_.execute(message); }
    void suffer(const PlannedFault&) override {}

  private:
    Traffic pass() override;
    void require_end(const std::string& where) const override;
    FlowPlan plan_of(const ScpiArguments& arguments, std::size_t first);

    std::string listen_;
    ScpiTree tree_;
    TrafficFlow told_;  // of the flow that somebody elsewhere has the other end of
    std::unique_ptr<ReceivingEnd> receiver_;
    std::unique_ptr<SendingEnd> sender_;
};

// Its frames reach the receiver at `port`: what the level there lets through, up to the receiver's most.
class SimulatedTraffic : public ScpiInstrument, private TrafficInstrument {
  public:
    SimulatedTraffic(std::shared_ptr<Stage> stage, std::string port);

  private:
    void reset() override { forget(); }
    Traffic pass() override;

    std::string port_;
    std::map<std::string, std::uint64_t> visits_;
};

}  // namespace rt::lab
