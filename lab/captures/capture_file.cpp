#include "lab/captures/capture_file.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/exported_spectrum.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/kit_file.hpp"
#include "lab/formats/registers_file.hpp"
#include "lab/formats/sigmf.hpp"
#include "lab/formats/spectrum_csv.hpp"
#include "lab/formats/touchstone.hpp"
#include "lab/formats/wafer_map_file.hpp"
#include "lab/formats/wav.hpp"

namespace rt::lab {

static std::string_view heading_of(std::string_view text) {
    while (!text.empty()) {
        const auto line = trim(text.substr(0, text.find('\n')));
        if (!line.empty() && line.front() != '#') return line;
        const auto end = text.find('\n');
        text = end == std::string_view::npos ? std::string_view{} : text.substr(end + 1);
    }
    return {};
}

Capture parse_capture_csv(std::string_view text, const std::string& file, const CaptureHints& hints) {
    const auto heading = heading_of(text);
    for (const CaptureKind* kind : capture_kinds()) {
        if (auto capture = kind->parse(heading, text, file, hints)) return std::move(*capture);
    }
    if (looks_exported(text)) return parse_exported(text, file, {}, hints.layout_used);
    return parse_spectrum_csv(text, file);  // which says what a heading looks like
}

static bool is_plain_text(const std::string& ending) {
    return ending == ".txt" || ending == ".hex";
}

// A dump of registers has places in front of its rows; other digits are a message. Tables may be called so
// too.
static Capture parse_plain_text(std::string_view text, const std::string& file) {
    const auto heading = heading_of(text);
    if (heading.find_first_of(",;\t") != std::string_view::npos || lower(heading).starts_with("frequency"))
        return parse_capture_csv(text, file, {});
    if (holds_registers_dump(text)) return parse_registers_dump(text, file);
    std::string digits;
    for (const auto line : split(text, '\n')) {
        if (!trim(line).starts_with('#')) digits += std::string(line) + "\n";
    }
    try {
        return parse_code_word(digits);
    } catch (const Error& error) {
        if (looks_exported(text)) return parse_exported(text, file, {});
        fail_input(file, error.message());
    }
}

Capture read_capture(const std::filesystem::path& file, const CaptureHints& hints) {
    const std::string ending = lower(file.extension().string());
    if (!hints.sample_type.empty()) return read_raw_samples(file, hints);
    if (hints.layout) return parse_exported(read_file(file), file.string(), *hints.layout, hints.layout_used);
    if (ending == ".sigmf-meta" || ending == ".sigmf-data") return read_sigmf(file, hints);
    if (ending == ".sigmf") fail_input(file.string(), "is an archive: unpack it and name its .sigmf-meta");
    if (ending == ".wav") return read_wav(file, hints);
    if (ending == ".bin") return parse_registers_bytes(read_file(file), file.string());
    if (names_touchstone(file) || ending == ".toml" || is_plain_text(ending))
        return parse_capture(read_file(file), file);
    return parse_capture_csv(read_file(file), file.string(), hints);
}

Capture parse_capture(std::string_view text, const std::filesystem::path& file) {
    const std::string ending = lower(file.extension().string());
    if (ending == ".toml" && holds_wafer_map(text, file.string())) return parse_wafer_map(text, file);
    if (ending == ".toml") return parse_kit(text, file);
    if (names_touchstone(file)) return parse_touchstone(text, file.string(), ports_named(file));
    if (is_plain_text(ending)) return parse_plain_text(text, file.string());
    return parse_capture_csv(text, file.string(), {});
}

WrittenCapture write_capture(const std::filesystem::path& stem, const Capture& capture) {
    return kind_of(capture).write(stem, capture);
}

}  // namespace rt::lab
