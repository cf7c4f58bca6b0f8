// Windows for spectra of finite records.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace rt {

// Coefficients after F. J. Harris, "On the use of windows for harmonic analysis with the DFT" (1978);
// flat-top after ISO 18431-2.
enum class Window { rectangular, hann, hamming, blackman_harris, flat_top };

const char* name(Window window);
std::optional<Window> parse_window(std::string_view text);
std::vector<std::string> window_names();

// Periodic form of `size` points, largest value 1 (flat-top: about 4.6).
std::vector<double> window_values(Window window, std::size_t size);

// Noise bandwidth in bins: size * sum(w^2) / sum(w)^2. Hann 1.5, Blackman-Harris 2.0044, flat-top 3.7702.
double noise_bandwidth_bins(const std::vector<double>& window);

// out = in * weights, value by value: of complex samples as pairs each weight stands twice.
void weigh(const float* in, const float* weights, float* out, std::size_t count);

}  // namespace rt
