// Signals made as samples.
#include <benchmark/benchmark.h>

#include <vector>

#include "core/synthesis/signal.hpp"

namespace {

// A hundred million samples of a stressed pattern, as benchmarks/stressed_pattern.py makes them in numpy.
void stressed_samples(benchmark::State& state) {
    rt::Parameters p(rt::link_pattern().parameters);
    for (const auto& [name, value] : {std::pair{"symbol_rate", "2.5 GHz"},
                                      {"pattern", "prbs15"},
                                      {"symbols", "6250000"},
                                      {"random_jitter", "0.012 UI"},
                                      {"sinusoidal_jitter", "0.12 UI"},
                                      {"sinusoidal_frequency", "5 MHz"},
                                      {"duty_cycle_distortion", "0.05 UI"},
                                      {"bandwidth", "2 GHz"},
                                      {"noise", "5 mV"}})
        p.set(name, value);
    p.fill_defaults();
    const auto signal = rt::link_pattern().make(p, {});
    const auto& wave = *std::get<rt::Waveform>(signal.turn).channels.front();
    std::vector<float> part(std::size_t{1} << 22);
    for (auto _ : state) {
        for (std::uint64_t at = 0; at + part.size() <= wave.size(); at += part.size()) wave.read(at, part);
        benchmark::DoNotOptimize(part.data());
    }
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(wave.size()));
}
BENCHMARK(stressed_samples)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
