// Two-port correction and de-embedding of 10,001 frequencies, against reading the same numbers once.
#include <benchmark/benchmark.h>

#include "core/network/correct_network.hpp"
#include "core/network/device.hpp"

using namespace rt;

namespace {

constexpr std::size_t points = 10001;

Network made(double size) {
    Network out;
    out.ports = 2;
    for (std::size_t i = 0; i < points; ++i) {
        out.frequency_hz.push_back(1e6 * static_cast<double>(i + 1));
        const double turn = 0.001 * static_cast<double>(i);
        for (const double part : {0.3, 0.1, 0.9, 0.2}) out.s.push_back(std::polar(size * part, turn * part));
    }
    return out;
}

ErrorTerms terms() {
    ErrorTerms out;
    out.method = "made up";
    for (std::size_t i = 0; i < points; ++i) {
        out.frequency_hz.push_back(1e6 * static_cast<double>(i + 1));
        TermValues v;
        for (std::size_t t = 0; t < term_count; ++t)
            v[t] = std::polar(t % 6 == reflection_tracking || t % 6 == transmission_tracking ? 0.9 : 0.05,
                              0.002 * static_cast<double>(i * (t + 1)));
        out.values.push_back(v);
    }
    return out;
}

// The plain work: every number of the data is read and added.
void BM_read_once(benchmark::State& state) {
    const Network n = made(1);
    for (auto _ : state) {
        Complex sum = 0;
        for (const auto& v : n.s) sum += v;
        benchmark::DoNotOptimize(sum);
    }
}
BENCHMARK(BM_read_once);

void BM_correct_and_de_embed(benchmark::State& state) {
    const Network device = made(1), open = made(0.1);
    Network closed = made(0.1);
    for (std::size_t i = 0; i < closed.s.size(); ++i)
        closed.s[i] = (i % 4 == 0 || i % 4 == 3 ? -0.9 : 0.02) + 0.1 * closed.s[i];
    const ErrorTerms e = terms();
    for (auto _ : state) {
        const Network d = corrected(device, e);
        Network o = open, s = closed;
        benchmark::DoNotOptimize(de_embedded(d, {&o, &s, nullptr}));
    }
}
BENCHMARK(BM_correct_and_de_embed)->Unit(benchmark::kMillisecond);

}  // namespace
