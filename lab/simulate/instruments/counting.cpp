#include "lab/simulate/instruments/counting.hpp"

#include <fmt/core.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/now.hpp"

namespace rt::lab {

CountingAgent::CountingAgent(std::string program, double timeout_s)
    : program_(std::move(program)), timeout_s_(timeout_s) {
    add_common_commands(tree_, "Rare Tally,counting program,here,1.0", [this] {
        running_.reset();
        counted_.reset();
        wanted_ = 1000;
    });
    tree_.on(
        "CONFigure:PACKets",
        [this](const ScpiArguments& a) {
            wanted_ = std::round(scpi_number(only_argument(a), ScpiUnit::plain, {1, 9e15, 1000}));
        },
        [this](const auto&) { return exact(wanted_); });
    tree_.on_command("INITiate:[IMMediate]", [this](const auto&) { count(); });
    tree_.on_query("FETCh", [this](const auto&) {
        if (!counted_) throw ScpiError{-230, "Data corrupt or stale"};
        return fmt::format("{},{},{},{}", counted_->frames, counted_->frames - counted_->frame_errors,
                           counted_->bits, counted_->bit_errors);
    });
}

void CountingAgent::count() {
    counted_ = ProgramCounts{};
    // "*OPC?" behind this must answer: what goes wrong is told by the error queue.
    try {
        if (!running_) running_ = std::make_unique<CountingProgram>(program_, timeout_s_);
        running_->start(static_cast<std::uint64_t>(wanted_));
        const auto enough = [&](const ProgramCounts& c) {
            return static_cast<double>(c.frames > 0 ? c.frames : c.bits) >= wanted_;
        };
        const Stopwatch watch;
        double last = 0, still_s = 0, pause_s = 0.002;
        ProgramCounts now;
        for (;;) {
            now = running_->read();
            tell_now(now.frames > 0 ? fmt::format("{} frames, {} wrong", now.frames, now.frame_errors)
                                    : fmt::format("{} bits, {} wrong", now.bits, now.bit_errors));
            if (!now.locked || enough(now)) break;
            const double all = static_cast<double>(now.frames + now.bits);
            if (all > last) last = all, still_s = watch.seconds();
            if (watch.seconds() - still_s > timeout_s_)
                fail_bench("the counting program " + program_ + " counts nothing more: " +
                           fmt::format("{} frames and {} bits of {:.0f}", now.frames, now.bits, wanted_));
            clock().sleep(pause_s);
            pause_s = std::min(0.2, 1.5 * pause_s);
        }
        const bool locked = now.locked;
        now = running_->stop();
        counted_ = now;
        if (!locked || !now.locked)
            tree_.push_error(
                {-230, fmt::format("loop-back lost after {} frames and {} bits", now.frames, now.bits)});
    } catch (const Error& error) {
        running_.reset();
        tree_.push_error({-240, error.message()});
    }
}

}  // namespace rt::lab
