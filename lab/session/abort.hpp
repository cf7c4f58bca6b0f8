// Ending a wait for an instrument before its time: the operator has pressed Ctrl-C twice.
#pragma once

namespace rt::lab {

// Thrown out of a wait that was aborted. No Error: nothing is wrong, and nothing is tried again.
struct Aborted {};

// May be called by a signal handler.
void request_abort() noexcept;
// A request that nobody has heeded is forgotten.
void forget_abort() noexcept;

// While it lives, waits of this thread end when an abort was requested.
class Abortable {
  public:
    Abortable();
    ~Abortable();
    Abortable(const Abortable&) = delete;
    Abortable& operator=(const Abortable&) = delete;

    // Throws Aborted, once for each request, where this thread may be aborted.
    static void heed();
    static bool here();
};

}  // namespace rt::lab
