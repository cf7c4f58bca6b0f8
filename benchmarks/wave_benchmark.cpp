// Edges of long waveforms, beside reading the samples once.
#include <benchmark/benchmark.h>

#include <cmath>
#include <numeric>
#include <random>
#include <vector>

#include "core/serial/edges.hpp"

namespace {

constexpr std::size_t length = std::size_t{1} << 25;

// Random bits of 16 samples each with slow edges and noise.
std::vector<double> bits() {
    std::mt19937 random(1);
    std::normal_distribution<double> normal(0, 0.01);
    std::vector<double> out;
    double level = -0.3;
    for (std::size_t i = 0; i < length; ++i) {
        static double wanted = -0.3;
        if (i % 16 == 0) wanted = random() % 2 ? 0.3 : -0.3;
        level += 0.4 * (wanted - level);
        out.push_back(level + normal(random));
    }
    return out;
}

const rt::Waveform& wave() {
    static const rt::Waveform made = rt::waveform_in_memory(bits(), 1e-10);
    return made;
}

void reading_once(benchmark::State& state) {
    std::vector<float> values(1 << 16);
    wave();
    for (auto _ : state) {
        float sum = 0;
        for (std::size_t at = 0; at < length; at += values.size()) {
            wave().channels[0]->read(at, values);
            sum += std::accumulate(values.begin(), values.end(), 0.0F);
        }
        benchmark::DoNotOptimize(sum);
    }
    state.SetItemsProcessed(static_cast<std::int64_t>(state.iterations() * length));
}
BENCHMARK(reading_once)->Unit(benchmark::kMillisecond);

void edges(benchmark::State& state) {
    std::size_t found = 0;
    wave();
    for (auto _ : state) found = rt::find_edges(*wave().channels[0], {0, 0.06}).size();
    state.SetItemsProcessed(static_cast<std::int64_t>(state.iterations() * length));
    state.counters["edges"] = static_cast<double>(found);
}
BENCHMARK(edges)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
