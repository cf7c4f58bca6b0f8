#include "lab/now.hpp"

#include <mutex>
#include <utility>

namespace rt::lab {
namespace {

std::mutex mutex;
std::string told;

}  // namespace

void tell_now(std::string what) {
    const std::lock_guard lock(mutex);
    told = std::move(what);
}

std::string told_now() {
    const std::lock_guard lock(mutex);
    return told;
}

void forget_now() {
    tell_now({});
}

}  // namespace rt::lab
