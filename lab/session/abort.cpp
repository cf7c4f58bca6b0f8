#include "lab/session/abort.hpp"

#include <atomic>

namespace rt::lab {
namespace {

std::atomic<bool> requested = false;
static_assert(std::atomic<bool>::is_always_lock_free);
thread_local int abortable = 0;

}  // namespace

void request_abort() noexcept {
    requested = true;
}

void forget_abort() noexcept {
    requested = false;
}

Abortable::Abortable() {
    ++abortable;
}

Abortable::~Abortable() {
    --abortable;
}

bool Abortable::here() {
    return abortable > 0;
}

void Abortable::heed() {
    if (abortable > 0 && requested.exchange(false)) throw Aborted{};
}

}  // namespace rt::lab
