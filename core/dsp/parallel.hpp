// Work shared among the processor's cores.
#pragma once

#include <cstddef>
#include <functional>

namespace rt {

// Calls work(i) for every i below `count`, several at once. What each call does must not depend on the
// others: then the result does not depend on the number of cores. Exceptions of the work come out of here.
void in_parallel(std::size_t count, const std::function<void(std::size_t)>& work);

// Calls work(from, to) for shares of 0 to `count`, several at once; little work is one share.
void in_shares(std::size_t count, const std::function<void(std::size_t from, std::size_t to)>& work);

std::size_t worker_count();

}  // namespace rt
