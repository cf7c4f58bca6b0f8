#include "core/signal/capture.hpp"

#include <tuple>

#include "core/base/error.hpp"

namespace rt {
namespace {

// What only some kinds have is asked for by whether they have it.
template <typename Data>
constexpr bool has_time = requires(const Data& data) {
    data.seconds();
};
template <typename Data>
constexpr bool has_scale = requires(const Data& data) {
    data.scaled;
};
template <typename Data>
constexpr bool read_later = requires(const Data& data) {
    spoilt(data);
};

}  // namespace

const char* kind_name(const Capture& capture) {
    return std::visit([]<typename Data>(const Data&) { return Data::kind; }, capture);
}

const std::optional<std::string>& distrust(const Capture& capture) {
    return std::visit([](const auto& c) -> const std::optional<std::string>& { return c.distrust; }, capture);
}

std::string implausible(const Capture& capture) {
    return std::visit([](const auto& c) { return implausible(c); }, capture);
}

std::optional<double> observed_s(const Capture& capture) {
    return std::visit(
        []<typename Data>(const Data& c) -> std::optional<double> {
            if constexpr (has_time<Data>) return c.seconds();
            return std::nullopt;
        },
        capture);
}

bool unscaled(const Capture& capture) {
    return std::visit(
        []<typename Data>(const Data& c) {
            if constexpr (has_scale<Data>) return !c.scaled;
            return false;
        },
        capture);
}

std::function<std::string()> watch_reading(const Capture& capture) {
    return std::visit(
        []<typename Data>(const Data& c) -> std::function<std::string()> {
            if constexpr (read_later<Data>) return [c] { return spoilt(c); };
            return [] { return std::string(); };
        },
        capture);
}

template <CaptureData Data>
Data take(Capture capture, const char* procedure) {
    if (auto* data = std::get_if<Data>(&capture)) return std::move(*data);
    fail_input(std::string(procedure) + " needs " + Data::needed + ", the capture holds " +
               kind_name(capture));
}

// One for every kind of the list: what procedures in other files link to.
template <typename Variant>
struct Takers;
template <CaptureData... Kinds>
struct Takers<std::variant<Kinds...>> {
    std::tuple<Kinds (*)(Capture, const char*)...> all{&take<Kinds>...};
};
extern const Takers<Capture> takers;
const Takers<Capture> takers{};

}  // namespace rt
