// What goes on inside a capture that takes a while, in a few words, for whoever shows a run: "12.3 Mbit/s, 3
// lost".
#pragma once

#include <string>

namespace rt::lab {

// The last word counts. From any thread.
void tell_now(std::string what);
// What was told last; "" where nothing was since it was forgotten.
std::string told_now();
void forget_now();

}  // namespace rt::lab
