// Signals made as samples, against closed forms: where edges stand, what a channel does, what noise is.
#include "core/synthesis/signal.hpp"

#include <complex>
#include <numbers>

#include "core/serial/edges.hpp"
#include "core/synthesis/chance.hpp"
#include "core/synthesis/stress.hpp"
#include "core/synthesis/symbols.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

constexpr double pi = std::numbers::pi;

using Pairs = std::vector<std::pair<const char*, const char*>>;

Parameters stated(const Pairs& pairs) {
    Parameters out(link_pattern().parameters);
    out.set("symbol_rate", "2.5 GHz");
    for (const auto& [name, value] : pairs) out.set(name, value);
    out.fill_defaults();
    return out;
}

MadeSignal made(const Pairs& pairs, const SignalInputs& inputs = {}) {
    return link_pattern().make(stated(pairs), inputs);
}

std::vector<double> volts(const MadeSignal& signal) {
    return std::get<Waveform>(signal.turn).volts();
}

double is(const MadeSignal& signal, const std::string& name) {
    for (const auto& result : signal.is) {
        if (result.name == name) return result.value.value;
    }
    FAIL("no " << name);
    return 0;
}

// One bin of the transform, by its definition.
std::complex<double> bin(const std::vector<double>& v, std::size_t k) {
    std::complex<double> sum = 0;
    for (std::size_t i = 0; i < v.size(); ++i) {
        const auto turns = static_cast<double>(k * i % v.size()) / static_cast<double>(v.size());
        sum += v[i] * std::polar(1.0, -2 * pi * turns);
    }
    return sum;
}

template <typename Call>
void refuses(const std::string& words, Call call) {
    const std::string said = input_error(call);
    CHECK_MESSAGE(said.find(words) != std::string::npos, said);
}

}  // namespace

TEST_CASE(
    "jitter of a made signal stands at its edges: random, sinusoidal and duty cycle apart, within 1 %") {
    const auto signal = made({{"symbols", "40000"},
                              {"random_jitter", "0.012 UI"},
                              {"sinusoidal_jitter", "0.12 UI"},
                              {"sinusoidal_frequency", "5 MHz"},
                              {"duty_cycle_distortion", "0.05 UI"}});
    const Edges found = find_edges(*std::get<Waveform>(signal.turn).channels[0], {0, 0.1});
    REQUIRE(found.size() > 18000);
    const double symbol = 16, cycle = 2.5e9 * symbol / is(signal, "sinusoidal_frequency");
    CHECK(is(signal, "sinusoidal_frequency") == about(5e6).epsilon(0.01));
    // Edges stand on whole symbols but for their jitter: least squares for sine, cosine and both directions.
    std::vector<double> tie;
    double rising = 0, falling = 0, rises = 0;
    for (std::size_t k = 0; k < found.size(); ++k) {
        tie.push_back((found.at[k] - symbol * std::round(found.at[k] / symbol)) / symbol);
        (found.rises(k) ? rising : falling) += tie.back();
        rises += found.rises(k) ? 1 : 0;
    }
    const auto n = static_cast<double>(tie.size());
    rising /= rises, falling /= n - rises;
    CHECK(rising - falling == within(0.0005, 0.05));
    CHECK(rising + falling == within(0.0005, 0));
    std::complex<double> sine = 0;
    for (std::size_t k = 0; k < tie.size(); ++k) {
        tie[k] -= found.rises(k) ? rising : falling;
        sine += tie[k] * std::polar(2 / n, -2 * pi * std::round(found.at[k] / symbol) * symbol / cycle);
    }
    CHECK(2 * std::abs(sine) == about(0.12).epsilon(0.01));
    double squares = 0;
    for (std::size_t k = 0; k < tie.size(); ++k) {
        const double at = 2 * pi * std::round(found.at[k] / symbol) * symbol / cycle;
        squares += std::pow(tie[k] - std::real(sine * std::polar(1.0, at)), 2);
    }
    CHECK(std::sqrt(squares / n) == about(0.012).epsilon(0.02));
}

TEST_CASE("bandwidth and cable act as their closed forms, from bin to bin of one turn") {
    const Pairs plain{{"pattern", "prbs7"}, {"rise", "100 ps"}};
    Pairs narrow = plain, cable = plain;
    narrow.push_back({"bandwidth", "1.2 GHz"});
    cable.insert(cable.end(), {{"loss", "6 dB"}, {"loss_at", "1.25 GHz"}});
    const auto a = volts(made(plain)), b = volts(made(narrow)), c = volts(made(cable));
    REQUIRE(a.size() == 127 * 16);
    for (const std::size_t k : {1U, 7U, 40U, 100U, 150U}) {
        CAPTURE(k);
        const double hz = static_cast<double>(k) * 2.5e9 / 127;
        const auto base = bin(a, k);
        REQUIRE(std::abs(base) > 1e-3);
        const double a0 = 6 * std::numbers::ln10 / 20 * std::sqrt(hz / 1.25e9);
        CHECK(std::abs(bin(b, k) / base - 1.0 / std::complex<double>(1, hz / 1.2e9)) < 1e-4);
        CHECK(std::abs(bin(c, k) / base - std::polar(std::exp(-a0), -a0)) < 1e-4);
    }
}

TEST_CASE("two-port data act as they are, between their points on straight lines") {
    // A line: 4 dB everywhere, 300 ps.
    SignalInputs inputs;
    inputs.through = Network{};
    Network& line = *inputs.through;
    line.ports = 2;
    for (double hz = 10e6; hz <= 20e9; hz += 40e6) {
        line.frequency_hz.push_back(hz);
        const auto s21 = std::polar(std::pow(10, -4 / 20.0), -2 * pi * hz * 300e-12);
        line.s.insert(line.s.end(), {0, s21, s21, 0});
    }
    const Pairs plain{{"pattern", "prbs7"}, {"rise", "100 ps"}};
    const auto a = volts(made(plain)), b = volts(made(plain, inputs));
    // 300 ps are 12 samples.
    double worst = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        worst = std::max(worst, std::abs(b[(i + 12) % a.size()] - a[i] * std::pow(10, -4 / 20.0)));
    CHECK(worst < 1e-4);
    line.frequency_hz.resize(40), line.s.resize(160);
    refuses("end at 1.57 GHz, three quarters of the symbol rate are needed", [&] { made(plain, inputs); });
    line.ports = 1;
    refuses("two are needed", [&] { made(plain, inputs); });
}

TEST_CASE("a made signal is the same in whatever pieces it is read, and its end leads into its begin") {
    const auto signal = made({{"symbols", "9000"},
                              {"random_jitter", "0.02 UI"},
                              {"spread", "5000 ppm"},
                              {"spread_frequency", "300 kHz"},
                              {"noise", "3 mV"}});
    const auto& wave = *std::get<Waveform>(signal.turn).channels[0];
    const std::size_t size = static_cast<std::size_t>(wave.size());
    std::vector<float> whole(size), pieces(size);
    wave.read(0, whole);
    for (std::size_t at = 0, step = 1; at < size; at += step, step = step * 3 + 7)
        wave.read(at, std::span(pieces).subspan(at, std::min(step, size - at)));
    double worst = 0;
    for (std::size_t i = 0; i < size; ++i)
        worst = std::max(worst, static_cast<double>(std::abs(whole[i] - pieces[i])));
    CHECK(worst < 1e-6);
    // Delayed by a symbol, what was the end comes first: no edge is lost or doubled there.
    const auto later = volts(made({{"delay", "1 UI"}, {"pattern", "prbs9"}}));
    const auto now = volts(made({{"pattern", "prbs9"}}));
    worst = 0;
    for (std::size_t i = 0; i < now.size(); ++i)
        worst = std::max(worst, std::abs(later[(i + 16) % now.size()] - now[i]));
    CHECK(worst < 1e-5);
}

TEST_CASE("a spread clock goes down in a straight line and back") {
    const auto signal = made({{"symbols", "400000"}, {"spread", "5000 ppm"}, {"spread_frequency", "31 kHz"}});
    const double mean = 2.5e9 * (1 - 0.0025);
    CHECK(is(signal, "symbol_rate") == about(mean).epsilon(1e-6));
    const auto& wave = std::get<Waveform>(signal.turn);
    const Edges found = find_edges(*wave.channels[0], {0, 0.1});
    const double cycle = 40e9 / is(signal, "spread_frequency");
    // Symbols between two edges some 200 apart, against the triangle in the middle between them.
    std::size_t compared = 0;
    double worst = 0;
    for (std::size_t k = 100; k + 200 < found.size(); k += 997) {
        const double length = found.at[k + 100] - found.at[k - 100];
        const double place = std::fmod((found.at[k + 100] + found.at[k - 100]) / 2 / cycle, 1.0);
        const double down = 5000 * (place < 0.5 ? 2 * place : 2 - 2 * place);
        const double wanted = 2.5e9 * (1 - down * 1e-6);
        const double symbols = std::round(length * wanted / 40e9);
        // Where the triangle turns its mean over 200 symbols is not its middle.
        if (place < 0.01 || place > 0.99 || std::abs(place - 0.5) < 0.01) continue;
        worst = std::max(worst, std::abs(symbols * 40e9 / length / wanted - 1) * 1e6);
        ++compared;
    }
    CHECK(compared > 100);
    CHECK(worst < 60);  // an edge found to 0.01 sample of 6,400
}

TEST_CASE("numbers by place are normal, to the tails") {
    const Chance chance(7);
    std::vector<float> many(4'000'000);
    chance.add_normal(0, 2.0, many);
    double sum = 0, squares = 0, fourth = 0, next = 0;
    std::size_t beyond = 0;
    for (std::size_t i = 0; i < many.size(); ++i) {
        const double x = static_cast<double>(many[i]) / 2;
        sum += x, squares += x * x, fourth += x * x * x * x;
        if (i > 0) next += x * static_cast<double>(many[i - 1]) / 2;
        beyond += std::abs(x) > 4;
    }
    const auto n = static_cast<double>(many.size());
    // Five standard errors of each.
    CHECK(sum / n == within(5 / std::sqrt(n), 0));
    CHECK(squares / n == within(5 * std::sqrt(2 / n), 1));
    CHECK(fourth / n == within(5 * std::sqrt(96 / n), 3));
    CHECK(next / n == within(5 / std::sqrt(n), 0));
    const double expected = n * std::erfc(4 / std::numbers::sqrt2);  // 253
    CHECK(static_cast<double>(beyond) == within(5 * std::sqrt(expected), expected));
    CHECK(chance.normal(17) == about(static_cast<double>(many[17]) / 2).epsilon(1e-6));
    CHECK(Chance(8).bits(17) != chance.bits(17));
    CHECK(Chance(7, 1).bits(17) != chance.bits(17));
    for (const double share : {1e-15, 1e-6, 0.0228, 0.4, 0.5, 0.977249868051821}) {
        CAPTURE(share);
        CHECK(0.5 * std::erfc(-normal_place(share) / std::numbers::sqrt2) == about(share).epsilon(1e-9));
    }
}

TEST_CASE("patterns as people write them") {
    using Symbols = std::vector<std::int8_t>;
    CHECK(pattern_symbols("bits:0110", 2) == Symbols{0, 1, 1, 0});
    CHECK(pattern_symbols("bits:011 7", 2) == Symbols{0, 1, 1, 0, 1, 1, 0});
    CHECK(pattern_symbols("hex:3E", 2) == Symbols{0, 0, 1, 1, 1, 1, 1, 0});
    CHECK(pattern_symbols("2 x (clock 3, quiet 2), ones 1", 2) ==
          Symbols{1, 0, 1, at_rest, at_rest, 1, 0, 1, at_rest, at_rest, 1});
    CHECK(pattern_symbols("clock/3 8", 2) == Symbols{1, 1, 1, 0, 0, 0, 1, 1});
    CHECK(pattern_symbols("symbols:0312", 4) == Symbols{0, 3, 1, 2});
    // Gray code, two bits a symbol; an odd number of bits goes through twice.
    CHECK(pattern_symbols("bits:00011110", 4) == Symbols{0, 1, 2, 3});
    CHECK(pattern_symbols("bits:001", 4) == Symbols{0, 3, 1});
    CHECK(pattern_symbols("prbs7", 2).size() == 127);
    CHECK(pattern_symbols("prbs31 1000", 2).size() == 1000);
    // K28.5 from negative disparity, then D21.5, which is balanced: it ends positive, so it goes through
    // twice.
    CHECK(pattern_symbols("characters:K28.5+D21.5", 2) ==
          pattern_symbols("bits:0011111010101010101011000001011010101010", 2));
    refuses("no character", [&] { pattern_symbols("characters:K28", 2); });
    refuses("has no K1.1", [&] { pattern_symbols("characters:K1.1", 2); });
    const auto random = pattern_symbols("random 30000", 3);
    for (const int level : {0, 1, 2})
        CHECK(std::count(random.begin(), random.end(), level) == within(500.0, 10000));
    refuses("did you mean \"prbs7\"", [&] { pattern_symbols("prsb7", 2); });
    refuses("needs how many bits", [&] { pattern_symbols("prbs31", 2); });
    refuses("needs how many symbols", [&] { pattern_symbols("quiet", 2); });
    refuses("character 3 of bits is \"2\"", [&] { pattern_symbols("bits:012", 2); });
    refuses("with 3 levels write 0 to 2", [&] { pattern_symbols("symbols:03", 3); });
    refuses("with three levels", [&] { pattern_symbols("bits:01", 3); });
    refuses("a ) is missing", [&] { pattern_symbols("2 x (ones 1", 2); });
    refuses("write a repeated part", [&] { pattern_symbols("3 ones", 2); });
    refuses("a comma is missing", [&] { pattern_symbols("ones 1 zeros 1", 2); });
    refuses("a name is missing", [&] { pattern_symbols("", 2); });
    refuses("more than", [&] { pattern_symbols("9999 x (ones 99999)", 2); });
}

TEST_CASE("levels, rest and slow signalling stand where they were asked for") {
    const auto signal = made({{"pattern", "6 x (clock 8, quiet 24), symbols:0000"},
                              {"rest_voltage", "20 mV"},
                              {"amplitude", "600 mV"},
                              {"rise", "50 ps"}});
    const auto v = volts(signal);
    REQUIRE(v.size() == (6 * 32 + 4) * 16);
    CHECK(v[8] == within(1e-3, 0.3));               // middle of the first one
    CHECK(v[16 + 8] == within(1e-3, -0.3));         // zero behind it
    CHECK(v[20 * 16] == within(1e-3, 0.02));        // at rest
    CHECK(v[v.size() - 24] == within(1e-3, -0.3));  // the end
    const auto four = volts(made({{"levels", "4"},
                                  {"level_voltages", "-0.4 V, -0.1 V, 0.15 V, 0.4 V"},
                                  {"pattern", "symbols:0123"},
                                  {"rise", "50 ps"}}));
    for (const auto& [at, level] : {std::pair{8, -0.4}, {24, -0.1}, {40, 0.15}, {56, 0.4}})
        CHECK(four[static_cast<std::size_t>(at)] == within(1e-3, level));
}

TEST_CASE("interference, crosstalk, lanes and conductors") {
    const Pairs ones{{"pattern", "ones 1000"}, {"amplitude", "1 V"}};
    Pairs sine = ones;
    sine.insert(sine.end(), {{"interference", "100 mV"}, {"interference_frequency", "100 MHz"}});
    const auto v = volts(made(sine));
    // 16,000 samples at 40 GHz: 40 cycles.
    CHECK(2 * std::abs(bin(v, 40)) / static_cast<double>(v.size()) == about(0.05).epsilon(1e-4));
    Pairs crossed = ones;
    crossed.push_back({"crosstalk", "80 mV"});
    const auto other = volts(made(crossed));
    CHECK(*std::max_element(other.begin(), other.end()) == within(2e-3, 0.54));
    CHECK(*std::min_element(other.begin(), other.end()) == within(2e-3, 0.46));
    // Both conductors: their difference is the signal, their sum twice what both carry.
    const auto conductor = [&](const char* which) {
        return volts(made({{"pattern", "prbs7"},
                           {"symbols", "1000"},
                           {"conductor", which},
                           {"common_mode", "60 mV"},
                           {"common_mode_frequency", "100 MHz"}}));
    };
    const auto positive = conductor("positive"), negative = conductor("negative");
    const auto both = volts(made({{"pattern", "prbs7"}, {"symbols", "1000"}}));
    double worst = 0, highest = 0;
    for (std::size_t i = 0; i < both.size(); ++i) {
        worst = std::max(worst, std::abs(positive[i] - negative[i] - both[i]));
        highest = std::max(highest, std::abs(positive[i] + negative[i]) / 2);
    }
    CHECK(worst < 1e-6);
    CHECK(highest == about(0.03).epsilon(1e-3));
    // Another lane sends the same later, with randomness of its own.
    const auto first = volts(made({{"pattern", "prbs7"}})), second = volts(made({{"lane", "2"}}));
    double apart = 0;
    for (std::size_t i = 0; i < first.size(); ++i)
        apart = std::max(apart, std::abs(second[i] - first[(i + 37 * 16) % first.size()]));
    CHECK(apart < 1e-5);
}

TEST_CASE("what cannot be made is refused with what would be possible") {
    refuses("faster than 40 GHz can carry", [&] { made({{"rise", "20 ps"}}); });
    refuses("sinusoidal_frequency: is needed", [&] { made({{"sinusoidal_jitter", "0.1 UI"}}); });
    refuses("less than one cycle in the 50.8 ns", [&] {
        made({{"sinusoidal_jitter", "0.1 UI"}, {"sinusoidal_frequency", "1 MHz"}});
    });
    refuses("not below half the sample rate", [&] {
        made({{"interference", "0.1 V"}, {"interference_frequency", "30 GHz"}});
    });
    refuses("at least twice the symbol rate", [&] { made({{"sample_rate", "4 GHz"}}); });
    refuses("noise: cannot be negative", [&] { made({{"noise", "-1 mV"}}); });
    refuses("2 voltages for 4 levels", [&] { made({{"levels", "4"}, {"level_voltages", "0 V, 1 V"}}); });
    refuses("the lowest stands first", [&] { made({{"level_voltages", "1 V, 0 V"}}); });
    refuses("level_voltages", [&] { made({{"level_voltages", "1 V, x"}}); });
    refuses("too long for a cable", [&] { made({{"symbols", "20000000"}, {"loss", "3 dB"}}); });
    refuses("did you mean \"link.pattern\"", [&] { find_signal("link.patern"); });
}
