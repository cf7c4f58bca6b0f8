// What the lab does with captures of one kind, whatever the kind. Each is one file here and one type in
// core/signal/capture.hpp; what a kind lacks does not compile.
#pragma once

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "core/signal/capture.hpp"
#include "lab/bench/instrument_role.hpp"
#include "lab/formats/capture_hints.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

// Frequencies from the lowest to the highest.
struct Band {
    double from_hz = 0, to_hz = 0;
};

// Which captures of a test get figures of their own in a report.
enum class Figures {
    none,  // a number: shown as a curve over the sweep
    few,   // several figures each: those of the first few speak for the others
    each,
};

class CaptureKind {
  public:
    virtual ~CaptureKind() = default;
    // "spectrum": in tallies, files and messages.
    virtual const char* name() const = 0;
    // The kind of instrument that gives it: "analyser".
    virtual const char* instrument() const = 0;
    virtual Figures figures() const = 0;
    // A command that its dialect must have besides those of all of that kind; nullptr: none.
    virtual const char* needs_command() const { return nullptr; }

    // What the role was set to before is no longer so behind a capture.
    virtual bool moves_settings() const { return false; }
    // The one setting that a capture ends, as a sweep ends the frequency that a source is held at; nullptr:
    // none.
    virtual const char* ends_setting() const { return nullptr; }

    // From an instrument of that kind; the errors of lab/captures/acquire.hpp.
    virtual Capture acquire(InstrumentRole& role, const CaptureSetup& setup) const = 0;
    // How long that takes: dwell time for each part of the spectrum measured at once, time for each packet
    // ...
    virtual double seconds(const Instrument& instrument, const CaptureSetup& setup) const = 0;
    // In a few words, for plans: "30 MHz to 1 GHz, RBW 120 kHz, peak".
    virtual std::string describe(const CaptureSetup& setup) const = 0;
    // What a signal path must cover; nothing for kinds without frequencies.
    virtual std::optional<Band> band(const CaptureSetup& setup) const = 0;
    // The unit of its levels, where limits must convert from it.
    virtual std::optional<Unit> level_unit(const CaptureSetup& setup) const = 0;

    // What the bench states of the instrument counts where the capture says nothing.
    virtual void state(Capture& capture, std::optional<double> impedance_ohm) const = 0;
    // Beside `stem` with an ending of its kind, durably.
    virtual WrittenCapture write(const std::filesystem::path& stem, const Capture& capture) const = 0;
    // From a text table whose heading is of this kind; nothing when it is not.
    virtual std::optional<Capture> parse(std::string_view heading, std::string_view text,
                                         const std::string& file, const CaptureHints& hints) const = 0;
};

// The same, typed: what a file of this folder fills in.
template <CaptureData Data>
class KindOf : public CaptureKind {
  public:
    using Setup = typename Data::Setup;

    const char* name() const final { return Data::kind; }
    Capture acquire(InstrumentRole& role, const CaptureSetup& setup) const final {
        return ask(role, std::get<Setup>(setup));
    }
    double seconds(const Instrument& instrument, const CaptureSetup& setup) const final {
        return seconds_of(instrument, std::get<Setup>(setup));
    }
    std::string describe(const CaptureSetup& setup) const final { return text_of(std::get<Setup>(setup)); }
    std::optional<Band> band(const CaptureSetup& setup) const final {
        return band_of(std::get<Setup>(setup));
    }
    std::optional<Unit> level_unit(const CaptureSetup& setup) const final {
        return unit_of(std::get<Setup>(setup));
    }
    void state(Capture& capture, std::optional<double> impedance_ohm) const final {
        complete(std::get<Data>(capture), impedance_ohm);
    }
    WrittenCapture write(const std::filesystem::path& stem, const Capture& capture) const final {
        return keep(stem, std::get<Data>(capture));
    }
    std::optional<Capture> parse(std::string_view heading, std::string_view text, const std::string& file,
                                 const CaptureHints& hints) const final {
        auto data = from_table(heading, text, file, hints);
        return data ? std::optional<Capture>(std::move(*data)) : std::nullopt;
    }

  protected:
    virtual Data ask(InstrumentRole& role, const Setup& setup) const = 0;
    virtual double seconds_of(const Instrument& instrument, const Setup& setup) const = 0;
    virtual std::string text_of(const Setup& setup) const = 0;
    virtual std::optional<Band> band_of(const Setup& setup) const = 0;
    virtual std::optional<Unit> unit_of(const Setup& setup) const = 0;
    virtual void complete(Data& data, std::optional<double> impedance_ohm) const = 0;
    virtual WrittenCapture keep(const std::filesystem::path& stem, const Data& data) const = 0;
    virtual std::optional<Data> from_table(std::string_view heading, std::string_view text,
                                           const std::string& file, const CaptureHints& hints) const = 0;
};

// Each kind defines this in its file.
template <CaptureData Data>
const CaptureKind& kind_of();

// In the order of Capture.
std::span<const CaptureKind* const> capture_kinds();
const CaptureKind& kind_of(const Capture& capture);
const CaptureKind& kind_of(const CaptureSetup& setup);
// By name; null for what a tally keeps besides captures ("trials").
const CaptureKind* find_capture_kind(std::string_view name);

// Which figures captures of a kind called so get; none for what is no capture.
Figures figures_of(const CaptureRecord& capture);
inline Figures figures_of(const PointRecord& point) {
    return figures_of(point.capture);
}

// Text of a kind that is kept as a table, written beside `stem`.
WrittenCapture keep_text(const std::filesystem::path& stem, const char* ending, std::string text);

}  // namespace rt::lab
