#include "core/signal/capture.hpp"

#include <utility>

namespace rt {

const char* kind_name(const Capture& capture) {
    constexpr const char* names[] = {"spectrum", "power", "counts"};
    static_assert(std::size(names) == std::variant_size_v<Capture>);
    return names[capture.index()];
}

static std::optional<std::string>& field(Spectrum& s) {
    return s.overload;
}
static std::optional<std::string>& field(PowerReading& p) {
    return p.trouble;
}
static std::optional<std::string>& field(Counts& c) {
    return c.trouble;
}

const std::optional<std::string>& distrust(const Capture& capture) {
    return std::visit(
        [](auto& c) -> const std::optional<std::string>& {
            return field(const_cast<std::remove_cvref_t<decltype(c)>&>(c));
        },
        capture);
}

void set_distrust(Capture& capture, std::string reason) {
    std::visit([&](auto& c) { field(c) = std::move(reason); }, capture);
}

}  // namespace rt
