// The list of kinds, made from that of core/signal/capture.hpp.
#include <algorithm>
#include <array>

#include "lab/captures/kind.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

template <typename Variant>
struct ListOf;
template <CaptureData... Kinds>
struct ListOf<std::variant<Kinds...>> {
    static std::span<const CaptureKind* const> all() {
        static const std::array<const CaptureKind*, sizeof...(Kinds)> list{&kind_of<Kinds>()...};
        return list;
    }
};

}  // namespace

std::span<const CaptureKind* const> capture_kinds() {
    return ListOf<Capture>::all();
}

const CaptureKind& kind_of(const Capture& capture) {
    return *capture_kinds()[capture.index()];
}

const CaptureKind& kind_of(const CaptureSetup& setup) {
    return *capture_kinds()[setup.index()];
}

const CaptureKind* find_capture_kind(std::string_view name) {
    const auto all = capture_kinds();
    const auto at =
        std::find_if(all.begin(), all.end(), [&](const CaptureKind* k) { return name == k->name(); });
    return at == all.end() ? nullptr : *at;
}

Figures figures_of(const CaptureRecord& capture) {
    const CaptureKind* kind = find_capture_kind(capture.kind);
    return kind ? kind->figures() : Figures::none;
}

WrittenCapture keep_text(const std::filesystem::path& stem, const char* ending, std::string text) {
    WrittenCapture out{stem, std::move(text)};
    out.file += ending;
    write_file(out.file, out.content);
    return out;
}

}  // namespace rt::lab
