// Count, least, mean and greatest of many values, and where the extremes stand.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

namespace rt {

struct Spread {
    struct One {
        double value = 0, at = 0;
    };

    std::size_t count = 0;
    double least = 1e300, greatest = -1e300;
    double at_least = 0, at_greatest = 0;  // places that were given with them
    double sum = 0, squares = 0;           // about the first value, so that small spreads are not lost
    double first = 0;
    std::size_t keep = 0;                // so many of the least and of the greatest are kept
    std::vector<One> lowest, uppermost;  // those, in no order

    void add(double value, double at) {
        if (count++ == 0) first = value;
        if (value < least) least = value, at_least = at;
        if (value > greatest) greatest = value, at_greatest = at;
        sum += value - first;
        squares += (value - first) * (value - first);
        if (keep == 0) return;
        put(lowest, {value, at}, [](const One& a, const One& b) { return a.value < b.value; });
        put(uppermost, {value, at}, [](const One& a, const One& b) { return a.value > b.value; });
    }
    double mean() const { return count ? first + sum / static_cast<double>(count) : 0; }
    double deviation() const {
        const auto n = static_cast<double>(count);
        return count ? std::sqrt(std::max(0.0, squares / n - sum / n * (sum / n))) : 0;
    }

  private:
    // A heap whose top is the one to give up first.
    template <typename Before>
    void put(std::vector<One>& kept, One one, Before before) const {
        if (kept.size() == keep) {
            if (!before(one, kept.front())) return;
            std::pop_heap(kept.begin(), kept.end(), before);
            kept.pop_back();
        }
        kept.push_back(one);
        std::push_heap(kept.begin(), kept.end(), before);
    }
};

}  // namespace rt
