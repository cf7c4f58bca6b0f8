#include "lab/traffic/sender.hpp"

#include <fmt/core.h>
#include <sys/socket.h>
#include <sys/uio.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <ctime>
#include <vector>

#include "core/base/error.hpp"
#include "lab/traffic/frame.hpp"

namespace rt::lab {
namespace {

constexpr std::size_t send_group = 64;  // frames in one call at most

void rest(double seconds) {
    const timespec time{0, static_cast<long>(1e9 * std::min(seconds, 0.5))};
    ::nanosleep(&time, nullptr);
}

// Payloads of a group, each with a head of its own; what is behind the heads is filled once.
struct Group {
    explicit Group(std::uint64_t octets) : payloads(send_group, std::vector<std::byte>(octets)) {
        std::uint32_t draw = 1;
        for (auto& payload : payloads)
            for (auto& octet : payload) {
                draw = draw * 1664525u + 1013904223u;
                octet = static_cast<std::byte>(draw >> 24);
            }
        for (std::size_t i = 0; i < send_group; ++i) {
            parts[i] = {payloads[i].data(), payloads[i].size()};
            messages[i].msg_hdr.msg_iov = &parts[i];
            messages[i].msg_hdr.msg_iovlen = 1;
        }
    }
    std::vector<std::vector<std::byte>> payloads;
    std::array<iovec, send_group> parts{};
    std::array<mmsghdr, send_group> messages{};
};

}  // namespace

std::int64_t realtime_ns() {
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    return static_cast<std::int64_t>(now.tv_sec) * 1000000000 + now.tv_nsec;
}

std::int64_t send_frames(const SendPlan& plan, SendState& state, TrafficFlow& flow) {
    const OpenFile socket = bound_socket(plan.from);
    if (::connect(socket.get(), reinterpret_cast<const sockaddr*>(&plan.to.address), plan.to.length) != 0)
        fail_bench(
            fmt::format("no way from {} to {}: {}", plan.from.host(), plan.to.host(), std::strerror(errno)));
    Group frames(plan.octets);
    const double each_s = 8 * static_cast<double>(plan.octets) / plan.rate_bps;
    const std::int64_t begun = realtime_ns();
    timespec start{};
    ::clock_gettime(CLOCK_MONOTONIC, &start);
    const auto elapsed = [&] {
        timespec now{};
        ::clock_gettime(CLOCK_MONOTONIC, &now);
        return static_cast<double>(now.tv_sec - start.tv_sec) +
               1e-9 * static_cast<double>(now.tv_nsec - start.tv_nsec);
    };
    // A machine that cannot keep up does not go on for ever.
    const double latest = 1.5 * each_s * static_cast<double>(plan.frames) + 1;
    std::uint64_t next = 0;
    double last_s = 0;
    while (next < plan.frames && !state.stop) {
        const double now = elapsed();
        if (now > latest) break;
        const auto due = std::min<std::uint64_t>(plan.frames, static_cast<std::uint64_t>(now / each_s) + 1);
        if (due <= next) {
            const double wait = static_cast<double>(next) * each_s - now;
            if (wait > 20e-6) rest(std::max(wait, 50e-6));
            continue;
        }
        const std::size_t count = std::min<std::uint64_t>(send_group, due - next);
        const std::int64_t stamp = realtime_ns();
        for (std::size_t i = 0; i < count; ++i)
            write_head({plan.flow, static_cast<std::uint32_t>(plan.octets), next + i, stamp},
                       frames.payloads[i]);
        const int went = ::sendmmsg(socket.get(), frames.messages.data(), static_cast<unsigned>(count), 0);
        if (went < 0) {
            if (errno == EMSGSIZE)
                fail_input(
                    fmt::format("frames of {} octets do not fit into what {} sends at once: take "
                                "shorter ones",
                                plan.octets, plan.from.host()));
            // Nobody listens (the far end has gone): counted as sent, since it was.
            if (errno == ECONNREFUSED) continue;
            if (errno == ENOBUFS || errno == EAGAIN || errno == EINTR) {
                rest(50e-6);
                continue;
            }
            fail_bench(fmt::format("sending from {} to {}: {}", plan.from.host(), plan.to.host(),
                                   std::strerror(errno)));
        }
        next += static_cast<std::uint64_t>(went);
        state.sent = next;
        last_s = elapsed();
        const auto step = static_cast<std::size_t>(now / plan.step_s);
        if (!flow.steps.empty())
            flow.steps[std::min(step, flow.steps.size() - 1)].sent += static_cast<std::uint64_t>(went);
    }
    flow.sent = next;
    // The last frame takes its time as well.
    flow.seconds = std::max(last_s + each_s, each_s * static_cast<double>(next));
    return begun;
}

}  // namespace rt::lab
