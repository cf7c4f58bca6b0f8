// Points that rules apply to, and those of them that have no finding yet.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <unordered_set>

#include "lab/model/record.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

class Owed {
  public:
    // A point that is to be measured: it owes a finding when a rule of its test applies to it.
    void owe(const Test& test, const Sweep& sweep, const Point& point);
    // A point that was measured.
    void settle(const PointRecord& record);
    // What is said of the points that have rules and no finding; "" when there are none.
    std::string missing() const;

  private:
    std::unordered_set<std::uint64_t> settled_;  // by id
    std::map<std::uint64_t, std::string> owed_;  // with their names
};

}  // namespace rt::lab
