#include "core/signal/temperatures.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"

namespace rt::lab {
namespace {

class TemperaturesKind : public KindOf<Temperatures> {
    const char* instrument() const override { return ""; }
    Figures figures() const override { return Figures::few; }
    Temperatures ask(InstrumentRole&, const TemperaturesSetup&) const override {
        throw Error(ErrorKind::internal, "", "temperatures are read from files, no instrument gives them");
    }
    double seconds_of(const Instrument&, const TemperaturesSetup&) const override { return 0; }
    std::string text_of(const TemperaturesSetup&) const override { return "temperatures"; }
    std::optional<Band> band_of(const TemperaturesSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const TemperaturesSetup&) const override { return std::nullopt; }
    void complete(Temperatures&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Temperatures& data) const override {
        std::string text = distrust_line(data.distrust) + "temperature [degC],time [s]\n";
        for (std::size_t i = 0; i < data.time_s.size(); ++i)
            text += exact(data.celsius[i]) + "," + exact(data.time_s[i]) + "\n";
        return keep_text(stem, ".csv", std::move(text));
    }
    std::optional<Temperatures> from_table(std::string_view heading, std::string_view text,
                                           const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("temperature")) return std::nullopt;
        const CsvTable csv(text, file);
        Temperatures out;
        out.distrust = distrust_of(csv);
        for (std::size_t row = 0; row < csv.rows(); ++row) {
            out.time_s.push_back(csv.number(csv.required("time"), row));
            out.celsius.push_back(csv.number(csv.required("temperature"), row));
        }
        if (out.time_s.empty()) fail_input(file, "has a heading but no rows");
        return out;
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Temperatures>() {
    static const TemperaturesKind kind;
    return kind;
}

}  // namespace rt::lab
