// Judging a trace of a million points against a line of twenty pieces, beside a plain sum of the same levels.
#include <benchmark/benchmark.h>

#include <cmath>
#include <numeric>
#include <random>

#include "core/rules/limit_line.hpp"

namespace {

constexpr std::size_t points = 1'000'000;

struct Data {
    std::vector<double> x, y;
    rt::LimitLine line;
};

// Twenty pieces from 1 MHz to 1 GHz, every other one sloping along log f; levels `below` dB under them on the
// whole, with noise of 3 dB.
Data make(double below) {
    std::vector<rt::LimitPiece> pieces;
    double from = 1e6;
    for (int i = 0; i < 20; ++i) {
        const double to = 1e6 * std::pow(10, 3.0 * (i + 1) / 20);
        const bool slope = i % 2 == 0;
        pieces.push_back({from, to, 60.0 - i, slope ? 58.0 - i : 60.0 - i,
                          slope ? rt::Interpolation::log_frequency : rt::Interpolation::linear});
        from = to;
    }
    Data data{{}, {}, rt::LimitLine(pieces, rt::Sense::upper)};
    std::mt19937 random(1);
    std::normal_distribution<double> noise(0, 3);
    for (std::size_t i = 0; i < points; ++i) {
        data.x.push_back(1e6 + (1e9 - 1e6) * static_cast<double>(i) / (points - 1));
        data.y.push_back(data.line.at(data.x.back()).value_or(40) - below + noise(random));
    }
    return data;
}

void judge(benchmark::State& state) {
    const Data data = make(static_cast<double>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(rt::compare(data.x, data.y, data.line, 3));
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(points));
}

void plain_sum(benchmark::State& state) {
    const Data data = make(20);
    for (auto _ : state) benchmark::DoNotOptimize(std::accumulate(data.y.begin(), data.y.end(), 0.0));
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(points));
}

}  // namespace

BENCHMARK(plain_sum)->Unit(benchmark::kMicrosecond);
// 40 dB under the limit is a quiet scan; 5 dB under it touches the marginal zone everywhere.
BENCHMARK(judge)->Arg(40)->Arg(20)->Arg(5)->Unit(benchmark::kMicrosecond);
