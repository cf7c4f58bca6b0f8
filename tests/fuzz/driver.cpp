// What libFuzzer calls: RT_READER names the reader. Compiled by GCC, whose coverage comes as one call for
// each edge, which libFuzzer refuses: the calls are counted here, where libFuzzer looks for counters.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>

#include "tests/fuzz/readers.hpp"

namespace {

constexpr std::size_t counters_kept = std::size_t{1} << 17;
std::uint8_t counters[counters_kept];  // no class: its members would be counted themselves
const fuzz::Reader* reader = nullptr;

}  // namespace

extern "C" {

void __sanitizer_cov_8bit_counters_init(std::uint8_t* begin, std::uint8_t* end);

__attribute__((no_sanitize_coverage, no_sanitize("address", "undefined"))) void __sanitizer_cov_trace_pc() {
    auto place = reinterpret_cast<std::uintptr_t>(__builtin_return_address(0));
    place ^= place >> 17;
    ++counters[(place * 0x9E3779B97F4A7C15U) >> 47];
}

// GCC tells of comparisons of real numbers too, which libFuzzer does not know.
void __sanitizer_cov_trace_cmpf(float, float) {}
void __sanitizer_cov_trace_cmpd(double, double) {}

int LLVMFuzzerInitialize(int*, char***) {
    const char* name = std::getenv("RT_READER");
    reader = fuzz::find_reader(name ? name : "");
    if (!reader) {
        std::fprintf(stderr, "RT_READER names one of these; behind each what it begins with:\n");
        for (const auto& known : fuzz::readers()) std::printf("%s %s\n", known.name, known.seeds);
        std::exit(2);
    }
    __sanitizer_cov_8bit_counters_init(counters, counters + counters_kept);
    return 0;
}

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string wrong = fuzz::take(*reader, {reinterpret_cast<const char*>(data), size});
    if (!wrong.empty()) {
        std::fprintf(stderr, "%s: %s\n", reader->name, wrong.c_str());
        std::abort();
    }
    return 0;
}
}
