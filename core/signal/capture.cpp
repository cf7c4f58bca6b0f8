#include "core/signal/capture.hpp"

namespace rt {

const char* kind_name(const Capture& capture) {
    constexpr const char* names[] = {"spectrum", "power", "counts", "iq", "waveform", "network"};
    static_assert(std::size(names) == std::variant_size_v<Capture>);
    return names[capture.index()];
}

static const std::optional<std::string>& field(const Spectrum& s) {
    return s.overload;
}
static const std::optional<std::string>& field(const PowerReading& p) {
    return p.trouble;
}
static const std::optional<std::string>& field(const Counts& c) {
    return c.trouble;
}
static const std::optional<std::string>& field(const IqRecord& r) {
    return r.trouble;
}
static const std::optional<std::string>& field(const Waveform& w) {
    return w.overload;
}
static const std::optional<std::string>& field(const Network& n) {
    return n.trouble;
}

const std::optional<std::string>& distrust(const Capture& capture) {
    return std::visit([](const auto& c) -> const std::optional<std::string>& { return field(c); }, capture);
}

}  // namespace rt
