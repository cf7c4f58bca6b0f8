// Expanding a million points: time, and the most memory the process ever held.
#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include "core/sweep/sweep.hpp"

namespace {

void expand_million(benchmark::State& state) {
    rt::Sweep sweep;
    for (const char* name : {"channel", "level", "temperature"}) {
        rt::Axis axis{name,
                      rt::range_values({1, rt::Unit::hertz}, {100, rt::Unit::hertz}, {1, rt::Unit::hertz}),
                      {"unit"}};
        sweep.axes.push_back(std::move(axis));
    }
    for (auto _ : state) benchmark::DoNotOptimize(rt::expand("test", sweep));
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    state.counters["peak_MB"] = static_cast<double>(usage.ru_maxrss) / 1024;
}

}  // namespace

BENCHMARK(expand_million)->Unit(benchmark::kMillisecond);
