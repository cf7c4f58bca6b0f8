#include "core/base/error.hpp"
#include "lab/captures/made_kind.hpp"
#include "lab/formats/wafer_map_file.hpp"

namespace rt::lab {
namespace {

class WaferMapKind : public MadeKind<WaferMap> {
    Figures figures() const override { return Figures::none; }
    std::string text_of(const WaferMapSetup&) const override { return "wafer map"; }
    WrittenCapture keep(const std::filesystem::path& stem, const WaferMap& data) const override {
        return keep_text(stem, ".toml", wafer_map_text(data));
    }
    std::optional<WaferMap> from_table(std::string_view, std::string_view, const std::string&,
                                       const CaptureHints&) const override {
        return std::nullopt;  // known by its ending
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<WaferMap>() {
    static const WaferMapKind kind;
    return kind;
}

}  // namespace rt::lab
