#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/base/widen.hpp"
#include "core/signal/scrambled.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/sigmf.hpp"

namespace rt::lab {

IqRecord record_iq(InstrumentRole& analyser, const IqSetup& setup) {
    ScpiSession& session = analyser.session();
    const auto samples = static_cast<std::size_t>(std::llround(setup.sample_rate_hz * setup.duration_s));
    session.is_set_up_as("samples");
    session.send("set_iq_centre", {{"hz", exact(setup.centre_hz)}});
    session.send("set_iq_rate", {{"hz", exact(setup.sample_rate_hz)}});
    session.send("set_iq_samples", {{"count", std::to_string(samples)}});
    session.send("set_iq_reference", {{"level", exact(setup.reference_level_dbm)}});
    forget_overload(session);
    require_done(session, "record_iq", analyser.instrument().timeout_s + 3 * setup.duration_s, "record");
    const double full_scale = session.ask_number("query_iq_full_scale");
    const auto wide = session.ask_numbers("read_iq", {}, 2 * samples, "record", samples_form);
    std::vector<float> numbers;
    numbers.reserve(wide.size());
    for (const double v : wide) numbers.push_back(static_cast<float>(v));
    std::vector<std::complex<float>> values;
    for (std::size_t i = 0; i < samples; ++i) values.emplace_back(numbers[2 * i], numbers[2 * i + 1]);
    if (first_no_number(numbers.data(), numbers.size()))
        session.fail("the record holds a sample that is no number");
    IqRecord record = iq_in_memory(std::move(values), setup.sample_rate_hz, setup.centre_hz, full_scale);
    // A frequency error is measured against these: what is a little off would be found in the unit.
    ReadBack back(session);
    back.number("iq_centre", "the centre", setup.centre_hz, std::max(1.0, 1e-9 * setup.centre_hz),
                Unit::hertz);
    back.number("iq_rate", "the rate of samples", setup.sample_rate_hz, 1e-7 * setup.sample_rate_hz,
                Unit::hertz);
    back.number("iq_samples", "samples:", static_cast<double>(samples), 0.5, Unit::count);
    record.distrust = read_distrust(session, "raise the reference level");
    if (!record.distrust) record.distrust = back.distrust();
    if (!record.distrust && scrambled(numbers)) record.distrust = scrambled_text;
    return record;
}

namespace {

class IqKind : public KindOf<IqRecord> {
    const char* instrument() const override { return "analyser"; }
    const char* needs_command() const override { return "record_iq"; }
    Figures figures() const override { return Figures::few; }
    IqRecord ask(InstrumentRole& role, const IqSetup& s) const override { return record_iq(role, s); }
    double seconds_of(const Instrument&, const IqSetup& s) const override { return 2 * s.duration_s; }
    std::string text_of(const IqSetup& s) const override {
        return format({s.centre_hz, Unit::hertz}) + ", samples at " +
               format({s.sample_rate_hz, Unit::hertz}) + " for " + format({s.duration_s, Unit::second});
    }
    std::optional<Band> band_of(const IqSetup& s) const override {
        return Band{s.centre_hz - s.sample_rate_hz / 2, s.centre_hz + s.sample_rate_hz / 2};
    }
    std::optional<Unit> unit_of(const IqSetup&) const override { return std::nullopt; }
    void complete(IqRecord&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const IqRecord& data) const override {
        return write_sigmf(stem, data);
    }
    std::optional<IqRecord> from_table(std::string_view, std::string_view, const std::string&,
                                       const CaptureHints&) const override {
        return std::nullopt;  // never a table of text
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<IqRecord>() {
    static const IqKind kind;
    return kind;
}

}  // namespace rt::lab
