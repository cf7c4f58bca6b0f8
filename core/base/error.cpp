#include "core/base/error.hpp"

#include <utility>

namespace rt {

Error::Error(ErrorKind kind, std::string place, std::string message)
    : kind_(kind),
      place_(std::move(place)),
      message_(std::move(message)),
      text_(place_.empty() ? message_ : place_ + ": " + message_) {}

void fail_input(std::string message) {
    throw Error(ErrorKind::input, "", std::move(message));
}

void fail_input(std::string place, std::string message) {
    throw Error(ErrorKind::input, std::move(place), std::move(message));
}

void fail_signal(std::string message) {
    throw Error(ErrorKind::signal, "", std::move(message));
}

void fail_bench(std::string message) {
    throw Error(ErrorKind::bench, "", std::move(message));
}

}  // namespace rt
