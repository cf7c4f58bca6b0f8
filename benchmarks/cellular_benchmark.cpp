// Modulation quality of uplinks, beside the transforms of their symbols alone.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <complex>
#include <string>
#include <vector>

#include "core/catalogue/catalogue.hpp"
#include "core/dsp/fft.hpp"
#include "core/measure/procedure.hpp"
#include "core/synthesis/signal.hpp"

namespace {

using Pairs = std::vector<std::pair<const char*, const char*>>;

rt::Parameters filled(std::span<const rt::ParameterInfo> known, const Pairs& pairs) {
    rt::Parameters out(known);
    for (const auto& [name, value] : pairs) out.set(name, value);
    out.fill_defaults();
    return out;
}

// The first part of a made frame, long enough for one slot or subframe.
rt::IqRecord made(const char* name, const Pairs& pairs, double seconds) {
    const auto& kind = rt::find_signal(name);
    const auto signal = kind.make(filled(kind.parameters, pairs), {});
    const auto& whole = std::get<rt::IqRecord>(signal.turn);
    return rt::part_of(whole, 0, static_cast<std::uint64_t>(seconds * whole.sample_rate_hz));
}

void measured(benchmark::State& state, const char* name, const rt::IqRecord& record, const Pairs& pairs) {
    const auto& procedure = rt::find_procedure(name);
    const auto parameters = filled(procedure.parameters, pairs);
    for (auto _ : state) benchmark::DoNotOptimize(procedure.measure(record, parameters));
}

void lte_subframe(benchmark::State& state) {
    measured(state, "cellular.lte-uplink",
             made("cellular.lte-uplink", {{"modulation", "64qam"}, {"noise", "2 %"}}, 1e-3),
             {{"modulation", "64qam"}, {"slots", "2"}});
}
void nr_slot(benchmark::State& state) {
    const Pairs common{{"channel_bandwidth", "100 MHz"}, {"modulation", "256qam"}};
    Pairs noisy = common, one = common;
    noisy.emplace_back("noise", "1 %"), one.emplace_back("slots", "1");
    measured(state, "cellular.nr-uplink", made("cellular.nr-uplink", noisy, 0.5e-3), one);
}

void transforms(benchmark::State& state, std::size_t size, int count) {
    const rt::Fft<float> transform(size);
    std::vector<std::complex<float>> data(size, {1, 0});
    for (auto _ : state) {
        for (int i = 0; i < count; ++i) transform(data.data());
        std::fill(data.begin(), data.end(), std::complex<float>(1, 0));
    }
}
void lte_transforms(benchmark::State& state) {
    transforms(state, 2048, 14);
}
void nr_transforms(benchmark::State& state) {
    transforms(state, 4096, 14);
}

}  // namespace

BENCHMARK(lte_subframe)->Unit(benchmark::kMillisecond);
BENCHMARK(lte_transforms)->Unit(benchmark::kMillisecond);
BENCHMARK(nr_slot)->Unit(benchmark::kMillisecond);
BENCHMARK(nr_transforms)->Unit(benchmark::kMillisecond);
