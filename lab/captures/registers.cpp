#include "core/base/error.hpp"
#include "lab/captures/made_kind.hpp"
#include "lab/formats/registers_file.hpp"

namespace rt::lab {
namespace {

class RegistersKind : public MadeKind<Registers> {
    Figures figures() const override { return Figures::few; }
    std::string text_of(const RegistersSetup&) const override { return "registers of the module"; }
    WrittenCapture keep(const std::filesystem::path& stem, const Registers& data) const override {
        return keep_text(stem, ".csv", registers_csv(data));
    }
    std::optional<Registers> from_table(std::string_view heading, std::string_view text,
                                        const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("device,page,byte") && !heading.starts_with("page,byte,value") &&
            !heading.starts_with("byte,value"))
            return std::nullopt;
        return parse_registers_csv(text, file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Registers>() {
    static const RegistersKind kind;
    return kind;
}

}  // namespace rt::lab
