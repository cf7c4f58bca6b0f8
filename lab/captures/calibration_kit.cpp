#include "core/base/error.hpp"
#include "lab/captures/made_kind.hpp"
#include "lab/formats/kit_file.hpp"

namespace rt::lab {
namespace {

class CalibrationKitKind : public MadeKind<CalibrationKit> {
    Figures figures() const override { return Figures::none; }
    std::string text_of(const CalibrationKitSetup&) const override { return "calibration kit"; }
    WrittenCapture keep(const std::filesystem::path& stem, const CalibrationKit& data) const override {
        return keep_text(stem, ".toml", kit_text(data));
    }
    std::optional<CalibrationKit> from_table(std::string_view, std::string_view, const std::string&,
                                             const CaptureHints&) const override {
        return std::nullopt;  // known by its ending
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<CalibrationKit>() {
    static const CalibrationKitKind kind;
    return kind;
}

}  // namespace rt::lab
