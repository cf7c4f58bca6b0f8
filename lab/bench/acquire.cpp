#include "lab/bench/acquire.hpp"

#include <bit>
#include <cctype>
#include <cmath>
#include <cstring>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/dsp/widen.hpp"
#include "core/signal/plausible.hpp"

namespace rt {
namespace {

// A block of little-endian numbers.
template <typename Number = double>
std::vector<Number> read_numbers(ScpiSession& session, const std::string& command, const Arguments& arguments,
                                 std::size_t count, const char* what) {
    const std::string bytes = session.ask_block(command, arguments);
    if (bytes.size() != count * sizeof(Number)) {
        session.fail(std::string("the ") + what + " has " + std::to_string(bytes.size()) + " bytes, " +
                     std::to_string(count) + " points of " + std::to_string(sizeof(Number)) +
                     " bytes were expected");
    }
    static_assert(std::endian::native == std::endian::little, "dialects ask for little-endian numbers");
    std::vector<Number> numbers(count);
    std::memcpy(numbers.data(), bytes.data(), bytes.size());
    return numbers;
}

void require_done(ScpiSession& session, const std::string& command, double longest_s, const char* what) {
    const std::string done = session.ask(command, to_milliseconds(longest_s));
    if (done != "1") {
        session.fail(std::string("the end of the ") + what + " was announced by " + in_quotes(done) +
                     " instead of 1");
    }
}

// Forgets what was latched before this capture.
void forget_overload(ScpiSession& session) {
    if (session.knows("query_overload")) session.ask("query_overload");
}

// Overload and the error queue, read after each capture.
std::optional<std::string> read_distrust(ScpiSession& session, const char* remedy) {
    const Instrument& instrument = session.instrument();
    long long bits = 0;
    if (session.knows("query_overload")) {
        const std::string status = session.ask("query_overload");
        const auto number = to_double(status);
        if (!number || *number < 0 || *number > 1e9)
            session.fail("the overload status is not a number: " + in_quotes(status));
        bits = static_cast<long long>(*number);
    }
    const auto errors = session.drain_errors();
    if (bits & instrument.dialect.overload_mask) return instrument.role + " overloaded: " + remedy;
    if (!errors.empty()) return instrument.role + " reported error " + errors.front();
    return std::nullopt;
}

// What an instrument has set against what it was told: the first thing that differs.
class ReadBack {
  public:
    explicit ReadBack(ScpiSession& session) : session_(session) {}

    void number(const std::string& what, const std::string& name, double wanted, double tolerance, Unit unit,
                bool more_is_well = false) {
        const auto answer = asked(what);
        if (!answer) return;
        const auto value = to_double(*answer);
        if (value && (std::abs(*value - wanted) <= tolerance || (more_is_well && *value > wanted))) return;
        tell(name, value ? format({*value, unit}) : in_quotes(*answer), format({wanted, unit}));
    }
    // In short or long form, whatever the capitals.
    void word(const std::string& what, const std::string& name, const std::string& wanted) {
        const auto answer = asked(what);
        if (!answer) return;
        std::string brief;
        for (const char c : wanted)
            brief += std::islower(static_cast<unsigned char>(c)) ? "" : std::string(1, c);
        std::string given = lower(*answer);
        std::erase(given, '"');
        if (given == lower(wanted) || given == lower(brief)) return;
        tell(name, in_quotes(*answer), wanted);
    }
    const std::optional<std::string>& trouble() const { return trouble_; }

  private:
    std::optional<std::string> asked(const std::string& what) {
        return trouble_ ? std::nullopt : session_.ask_if_known("query_" + what);
    }
    void tell(const std::string& name, const std::string& is, const std::string& wanted) {
        trouble_ = session_.instrument().role + " has " + name + " " + is + ", " + wanted + " was asked for";
    }

    ScpiSession& session_;
    std::optional<std::string> trouble_;
};

std::optional<std::string> read_back_format(ScpiSession& session) {
    ReadBack back(session);
    back.word("format", "the form of numbers", "REAL,64");
    back.word("byte_order", "the byte order", "SWAPped");
    return back.trouble();
}

std::optional<std::string> read_back(ScpiSession& session, const SpectrumSetup& setup) {
    if (auto trouble = read_back_format(session)) return trouble;
    ReadBack back(session);
    const double span = setup.stop_hz - setup.start_hz;
    back.word("unit", "levels in", setup.unit == Unit::dbuv ? "DBUV" : "DBM");
    back.number("start", "the lowest frequency", setup.start_hz, 1e-4 * span, Unit::hertz);
    back.number("stop", "the highest frequency", setup.stop_hz, 1e-4 * span, Unit::hertz);
    back.number("points", "points:", static_cast<double>(setup.points), 0.5, Unit::count);
    back.number("bandwidth", "the resolution bandwidth", setup.resolution_bandwidth_hz,
                1e-3 * setup.resolution_bandwidth_hz, Unit::hertz);
    back.word("detector", "the detector", session.instrument().dialect.detectors.at(name(setup.detector)));
    back.number("dwell", "the measuring time", setup.dwell_s, 0.01 * setup.dwell_s, Unit::second, true);
    if (!setup.attenuation_db) back.number("coupled", "the coupling of its attenuation", 1, 0.5, Unit::none);
    return back.trouble();
}

constexpr const char* scrambled_text =
    "the numbers are smaller than anything measured: the byte order is another one";

void set_up(ScpiSession& session, const SpectrumSetup& setup) {
    const Dialect& dialect = session.instrument().dialect;
    const auto word = dialect.detectors.find(name(setup.detector));
    if (word == dialect.detectors.end()) {
        fail_input(dialect.file.string(),
                   std::string("the dialect has no word for the detector ") + name(setup.detector));
    }
    if (setup.reference_level) {
        session.send("set_reference", {{"dbm", exact(convert(*setup.reference_level, Unit::dbm)->value)}});
    }
    if (setup.attenuation_db) {
        session.send("set_attenuation", {{"db", exact(*setup.attenuation_db)}});
    } else {
        session.send("couple_attenuation");
    }
    session.send("set_unit", {{"unit", setup.unit == Unit::dbuv ? "DBUV" : "DBM"}});
    session.send("set_start", {{"hz", exact(setup.start_hz)}});
    session.send("set_stop", {{"hz", exact(setup.stop_hz)}});
    session.send("set_points", {{"count", std::to_string(setup.points)}});
    session.send("set_bandwidth", {{"hz", exact(setup.resolution_bandwidth_hz)}});
    session.send("set_detector", {{"detector", word->second}});
    session.send("set_dwell", {{"s", exact(setup.dwell_s)}});
}

std::vector<double> read_levels(ScpiSession& session, std::size_t points,
                                std::optional<std::string>& trouble) {
    auto levels = read_numbers(session, "read_trace", {}, points, "trace");
    if (scrambled(levels)) trouble = scrambled_text;
    for (double& level : levels) {
        if (!std::isfinite(level) || std::abs(level) > 1e6)
            session.fail("the trace holds a level that is no number");
        level = std::round(level * 1e4) / 1e4;  // as the kept capture states it
    }
    return levels;
}

}  // namespace

Spectrum sweep(InstrumentRole& analyser, const SpectrumSetup& setup) {
    ScpiSession& session = analyser.session();
    set_up(session, setup);
    const auto differs = read_back(session, setup);
    const Instrument& instrument = analyser.instrument();
    forget_overload(session);
    require_done(session, "sweep", instrument.timeout_s + 1.5 * acquire_seconds(instrument, setup), "sweep");
    Spectrum spectrum;
    std::optional<std::string> odd;
    spectrum.level = read_levels(session, setup.points, odd);
    spectrum.overload = read_distrust(session, "raise the reference level or the attenuation");
    if (!spectrum.overload) spectrum.overload = differs ? differs : odd;
    spectrum.unit = setup.unit;
    spectrum.frequency_hz.resize(setup.points);
    for (std::size_t i = 0; i < setup.points; ++i) {
        spectrum.frequency_hz[i] = setup.start_hz + setup.step_hz() * static_cast<double>(i);
    }
    spectrum.frequency_hz.back() = setup.stop_hz;
    spectrum.detector = setup.detector;
    spectrum.resolution_bandwidth_hz = setup.resolution_bandwidth_hz;
    spectrum.impedance_ohm = instrument.impedance_ohm;
    if (setup.reference_level && instrument.impedance_ohm) {
        const auto shown =
            convert(*setup.reference_level, setup.unit, {*instrument.impedance_ohm, Unit::ohm});
        if (shown) spectrum.reference_level = shown->value;
    }
    return spectrum;
}

PowerReading read_power(InstrumentRole& meter, const PowerSetup& setup) {
    ScpiSession& session = meter.session();
    session.send("set_frequency", {{"value", exact(setup.frequency_hz)}});
    session.send("set_averages", {{"count", std::to_string(setup.averages)}});
    ReadBack back(session);
    back.word("unit", "readings in", "DBM");
    forget_overload(session);
    PowerReading reading;
    reading.frequency_hz = setup.frequency_hz;
    reading.sensor = setup.sensor;
    const std::string text = session.ask("read_power", {{"sensor", std::to_string(setup.sensor)}});
    const auto level = to_reading(text);
    if (!level || std::abs(*level) > 1e6) {
        const auto errors = session.drain_errors();
        if (!errors.empty()) session.fail("no power was read: " + errors.front());
        session.fail("a power was expected, the answer is " + in_quotes(text));
    }
    reading.level_dbm = std::round(*level * 1e4) / 1e4;  // as the kept capture states it
    reading.trouble = read_distrust(session, "lower the power or put an attenuator before the sensor");
    if (!reading.trouble) reading.trouble = back.trouble();
    return reading;
}

Counts count(InstrumentRole& counter, const CountSetup& setup) {
    ScpiSession& session = counter.session();
    session.send("set_packets", {{"count", std::to_string(setup.packets)}});
    const Instrument& instrument = counter.instrument();
    require_done(session, "count", instrument.timeout_s + 3 * acquire_seconds(instrument, setup), "count");
    const std::string text = session.ask("read_counts");
    const auto parts = split(text, ',');
    std::vector<std::uint64_t> numbers;
    for (const auto part : parts) {
        const auto number = to_double(trim(part));
        if (!number || *number < 0 || *number != std::floor(*number) || *number > 9e15) break;
        numbers.push_back(static_cast<std::uint64_t>(*number));
    }
    if (numbers.size() != 4 || parts.size() != 4)
        session.fail("four whole numbers were expected for read_counts, the answer is " + in_quotes(text));
    Counts counts{numbers[0], numbers[1], numbers[2], numbers[3], {}};
    if (counts.packets_received > counts.packets_sent || counts.bit_errors > counts.bits)
        session.fail("the counts contradict each other: " + in_quotes(text));
    counts.trouble = read_distrust(session, "lower the level");
    if (!counts.trouble && counts.packets_sent != setup.packets) {
        counts.trouble = instrument.role + " sent " + std::to_string(counts.packets_sent) + " packets, " +
                         std::to_string(setup.packets) + " were asked for";
    }
    return counts;
}

const char* kind_for(const CaptureSetup& setup) {
    constexpr const char* kinds[] = {"analyser", "power-meter",  "counter",
                                     "analyser", "oscilloscope", "network-analyser"};
    static_assert(std::size(kinds) == std::variant_size_v<CaptureSetup>);
    return kinds[setup.index()];
}

Capture acquire(InstrumentRole& instrument, const CaptureSetup& setup) {
    if (const auto* s = std::get_if<SpectrumSetup>(&setup)) return sweep(instrument, *s);
    if (const auto* p = std::get_if<PowerSetup>(&setup)) return read_power(instrument, *p);
    if (const auto* q = std::get_if<IqSetup>(&setup)) return record_iq(instrument, *q);
    if (const auto* w = std::get_if<WaveformSetup>(&setup)) return record(instrument, *w);
    if (const auto* n = std::get_if<NetworkSetup>(&setup)) return scan_network(instrument, *n);
    return count(instrument, std::get<CountSetup>(setup));
}

IqRecord record_iq(InstrumentRole& analyser, const IqSetup& setup) {
    ScpiSession& session = analyser.session();
    const auto samples = static_cast<std::size_t>(std::llround(setup.sample_rate_hz * setup.duration_s));
    session.send("set_iq_centre", {{"hz", exact(setup.centre_hz)}});
    session.send("set_iq_rate", {{"hz", exact(setup.sample_rate_hz)}});
    session.send("set_iq_samples", {{"count", std::to_string(samples)}});
    session.send("set_iq_reference", {{"level", exact(setup.reference_level_dbm)}});
    forget_overload(session);
    require_done(session, "record_iq", analyser.instrument().timeout_s + 3 * setup.duration_s, "record");
    const double full_scale = session.ask_number("query_iq_full_scale");
    const auto numbers = read_numbers<float>(session, "read_iq", {}, 2 * samples, "record");
    std::vector<std::complex<float>> values;
    for (std::size_t i = 0; i < samples; ++i) values.emplace_back(numbers[2 * i], numbers[2 * i + 1]);
    if (first_no_number(numbers.data(), numbers.size()))
        session.fail("the record holds a sample that is no number");
    IqRecord record = iq_in_memory(std::move(values), setup.sample_rate_hz, setup.centre_hz, full_scale);
    record.trouble = read_distrust(session, "raise the reference level");
    if (!record.trouble && scrambled(numbers)) record.trouble = scrambled_text;
    return record;
}

Waveform record(InstrumentRole& oscilloscope, const WaveformSetup& setup) {
    ScpiSession& session = oscilloscope.session();
    session.send("set_span", {{"s", exact(setup.span_s)}});
    session.send("set_points", {{"count", std::to_string(setup.points)}});
    for (const int channel : setup.channels)
        session.send("set_range", {{"channel", std::to_string(channel)}, {"v", exact(setup.range_v)}});
    session.send("set_trigger",
                 {{"channel", std::to_string(setup.trigger_channel)}, {"v", exact(setup.trigger_v)}});
    auto differs = read_back_format(session);
    forget_overload(session);
    require_done(session, "acquire", oscilloscope.instrument().timeout_s + 2 * setup.span_s, "record");
    const double step = session.ask_number("query_step");
    if (!(step > 0)) session.fail("the time between samples is " + exact(step) + " s");
    std::vector<std::vector<double>> channels;
    for (const int channel : setup.channels) {
        channels.push_back(read_numbers(session, "read_waveform", {{"channel", std::to_string(channel)}},
                                        setup.points, "record"));
        if (scrambled(channels.back()) && !differs) differs = scrambled_text;
        for (const double v : channels.back()) {
            if (!std::isfinite(v) || std::abs(v) > 1e6)
                session.fail("the record holds a voltage that is no number");
        }
    }
    Waveform out = waveform_in_memory(std::move(channels), step);
    out.overload = read_distrust(session, "enlarge the range");
    if (!out.overload) out.overload = differs;
    return out;
}

Network scan_network(InstrumentRole& analyser, const NetworkSetup& setup) {
    ScpiSession& session = analyser.session();
    session.send("set_start", {{"hz", exact(setup.start_hz)}});
    session.send("set_stop", {{"hz", exact(setup.stop_hz)}});
    session.send("set_points", {{"count", std::to_string(setup.points)}});
    session.send("set_bandwidth", {{"hz", exact(setup.bandwidth_hz)}});
    auto differs = read_back_format(session);
    forget_overload(session);
    Network network;
    network.ports = 2;
    network.s.resize(4 * setup.points);
    for (std::size_t i = 0; i < setup.points; ++i) {
        network.frequency_hz.push_back(setup.start_hz + (setup.stop_hz - setup.start_hz) *
                                                            static_cast<double>(i) /
                                                            static_cast<double>(setup.points - 1));
    }
    const double longest =
        analyser.instrument().timeout_s + 3 * static_cast<double>(setup.points) / setup.bandwidth_hz;
    for (std::size_t parameter = 0; parameter < 4; ++parameter) {
        const std::string word = "S" + std::to_string(parameter / 2 + 1) + std::to_string(parameter % 2 + 1);
        session.send("set_parameter", {{"parameter", word}});
        require_done(session, "sweep", longest, "sweep");
        const auto numbers = read_numbers(session, "read_trace", {}, 2 * setup.points, "trace");
        if (scrambled(numbers) && !differs) differs = scrambled_text;
        for (std::size_t i = 0; i < setup.points; ++i) {
            if (!std::isfinite(numbers[2 * i]) || !std::isfinite(numbers[2 * i + 1]))
                session.fail("the trace holds a parameter that is no number");
            network.s[4 * i + parameter] = {numbers[2 * i], numbers[2 * i + 1]};
        }
    }
    network.trouble = read_distrust(session, "lower the source power");
    if (!network.trouble) network.trouble = differs;
    return network;
}

double acquire_seconds(const Instrument& instrument, const CaptureSetup& setup) {
    if (const auto* s = std::get_if<SpectrumSetup>(&setup)) {
        const double span = s->stop_hz - s->start_hz;
        const double parts = instrument.scan_bandwidth_hz ? std::ceil(span / *instrument.scan_bandwidth_hz)
                                                          : static_cast<double>(s->points);
        return s->dwell_s * parts;
    }
    if (const auto* c = std::get_if<CountSetup>(&setup))
        return static_cast<double>(c->packets) * c->seconds_per_packet;
    if (const auto* q = std::get_if<IqSetup>(&setup)) return 2 * q->duration_s;
    if (const auto* w = std::get_if<WaveformSetup>(&setup)) return 2 * w->span_s;
    if (const auto* n = std::get_if<NetworkSetup>(&setup))
        return 4 * static_cast<double>(n->points) / n->bandwidth_hz;
    return std::get<PowerSetup>(setup).averages * 0.01;
}

}  // namespace rt
