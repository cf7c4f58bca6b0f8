#include <fmt/core.h>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/registers_file.hpp"

namespace rt::lab {

Registers read_module(InstrumentRole& role, const RegistersSetup& setup) {
    ScpiSession& session = role.session();
    session.send("set_repeats", {{"count", std::to_string(setup.reads)}});
    require_done(session, "run", role.instrument().timeout_s + 0.1 * static_cast<double>(setup.reads),
                 "registers");
    try {
        const std::string text = session.ask_block("read_registers");
        if (text.starts_with(registers_failed))
            session.fail(std::string(trim(text.substr(registers_failed.size()))));
        return parse_registers_csv(text, "the answer to read_registers");
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::input) throw;
        session.fail(error.what());
    }
}

namespace {

class RegistersKind : public KindOf<Registers> {
    const char* instrument() const override { return "module"; }
    Figures figures() const override { return Figures::few; }
    Registers ask(InstrumentRole& role, const RegistersSetup& s) const override {
        return read_module(role, s);
    }
    double seconds_of(const Instrument&, const RegistersSetup& s) const override {
        return 0.1 + 0.01 * static_cast<double>(s.reads);
    }
    std::string text_of(const RegistersSetup& s) const override {
        return fmt::format("registers of the module, its identification read {} time{}", s.reads,
                           s.reads == 1 ? "" : "s");
    }
    std::optional<Band> band_of(const RegistersSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const RegistersSetup&) const override { return std::nullopt; }
    void complete(Registers&, std::optional<double>) const override {}
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
