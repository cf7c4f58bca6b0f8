#include "core/base/error.hpp"
#include "lab/captures/made_kind.hpp"

namespace rt::lab {
namespace {

class CodeWordKind : public MadeKind<CodeWord> {
    Figures figures() const override { return Figures::few; }
    std::string text_of(const CodeWordSetup&) const override { return "message"; }
    WrittenCapture keep(const std::filesystem::path& stem, const CodeWord& data) const override {
        return keep_text(stem, ".txt", bit_text(data) + "\n");
    }
    std::optional<CodeWord> from_table(std::string_view, std::string_view, const std::string&,
                                       const CaptureHints&) const override {
        return std::nullopt;  // known by its ending
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<CodeWord>() {
    static const CodeWordKind kind;
    return kind;
}

}  // namespace rt::lab
