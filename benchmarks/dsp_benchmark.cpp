// Spectra and modulation of complex samples, beside the transforms alone.
#include <benchmark/benchmark.h>
#include <fftw3.h>

#include <complex>
#include <random>
#include <thread>
#include <vector>

#include "core/catalogue/catalogue.hpp"
#include "core/dsp/density.hpp"
#include "core/dsp/iq_scan.hpp"
#include "core/measure/procedure.hpp"
#include "lab/simulate/iq_display.hpp"

namespace {

rt::IqRecord noise(std::size_t count, double rate) {
    std::mt19937 random(1);
    std::normal_distribution<float> normal(0, 0.1F);
    std::vector<std::complex<float>> samples(count);
    for (auto& x : samples) x = {normal(random), normal(random)};
    return rt::iq_in_memory(std::move(samples), rate);
}

constexpr int size = 4096;
constexpr std::size_t length = std::size_t{1} << 25;

// As many transforms as the density below needs, on two threads, nothing else.
void raw_transforms(benchmark::State& state) {
    auto* shape = static_cast<fftwf_complex*>(fftwf_malloc(sizeof(fftwf_complex) * size));
    const auto plan = fftwf_plan_dft_1d(size, shape, shape, FFTW_FORWARD, FFTW_ESTIMATE);
    for (auto _ : state) {
        std::vector<std::jthread> threads;
        for (int t = 0; t < 2; ++t) {
            threads.emplace_back([&] {
                auto* data = static_cast<fftwf_complex*>(fftwf_malloc(sizeof(fftwf_complex) * size));
                for (int i = 0; i < size; ++i) data[i][0] = data[i][1] = 0;
                for (std::size_t i = 0; i < length / size; ++i) fftwf_execute_dft(plan, data, data);
                fftwf_free(data);
            });
        }
    }
    fftwf_free(shape);
}

void density(benchmark::State& state) {
    const auto record = noise(length, 20e6);
    for (auto _ : state) benchmark::DoNotOptimize(rt::power_density(record, {size, rt::Window::hann, 0.5}));
}

// Seconds of record for a second of work.
void quasi_peak_at_one_frequency(benchmark::State& state) {
    const double seconds = 10, rate = 1e6;
    const auto record = noise(static_cast<std::size_t>(seconds * rate), rate);
    const auto filter = rt::GaussianFilter::with_6db(120e3);
    for (auto _ : state)
        benchmark::DoNotOptimize(rt::measure_at(record, 50e3, filter, {rt::Detector::quasi_peak}));
    state.counters["real_time_factor"] =
        benchmark::Counter(seconds, benchmark::Counter::kIsIterationInvariantRate);
}

// Every 30 kHz of 10 MHz for 1 s: 30 MHz to 1 GHz is 97 of these.
void quasi_peak_at_all_frequencies(benchmark::State& state) {
    const double seconds = 1, rate = 10e6;
    const auto record = noise(static_cast<std::size_t>(seconds * rate), rate);
    rt::ScanSettings settings;
    settings.filter = rt::GaussianFilter::with_6db(120e3);
    settings.detectors = {rt::Detector::quasi_peak, rt::Detector::peak, rt::Detector::average};
    settings.start_hz = -5e6, settings.stop_hz = 5e6;
    for (auto _ : state) benchmark::DoNotOptimize(rt::scan(record, settings));
    // Seconds of work for a second of all 970 MHz.
    state.counters["s_for_30MHz_to_1GHz"] = benchmark::Counter(
        1.0 / 97, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

void oqpsk_frames(benchmark::State& state) {
    rt::lab::Emission emission;
    rt::lab::RadioErrors errors;
    errors.frame_octets = 20;
    errors.frame_gap_s = 0.2e-3;
    emission.carriers.push_back({2.405e9, 0, -20, 2e6, errors});
    const rt::IqSetup setup{2.405e9, 8e6, 0.1, 10};
    auto made = rt::lab::record_samples(emission, setup, {10, 10, 20}, 1);
    const auto record = rt::iq_in_memory(std::move(made.samples), 8e6, 2.405e9, made.full_scale_dbm);
    const auto& procedure = rt::find_procedure("radio.oqpsk");
    rt::Parameters parameters(procedure.parameters);
    parameters.fill_defaults();
    double frames = 0;
    for (auto _ : state) {
        const auto outcome = rt::measure(procedure, record, parameters);
        frames = outcome.find_result("frames")->value.value;
    }
    state.counters["frames_per_s"] =
        benchmark::Counter(frames, benchmark::Counter::kIsIterationInvariantRate);
}

}  // namespace

BENCHMARK(raw_transforms)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(density)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(quasi_peak_at_one_frequency)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(quasi_peak_at_all_frequencies)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(oqpsk_frames)->UseRealTime()->Unit(benchmark::kMillisecond);
