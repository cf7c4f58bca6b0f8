// What a run has measured so far: attempts at each point, and the records of tests that something later is
// made from.
#pragma once

#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

std::uint64_t id_of(const PointRecord& record);

class Measured {
  public:
    // Tests that searches, derived values, calibrations, inputs and conclusions are made from are remembered.
    explicit Measured(const Plan& plan);

    // A point that stands; its attempt is the highest of its id.
    void put(const PointRecord& record);
    // One that counts as not measured, but for the number of its attempts.
    void set_aside(const PointRecord& record);
    void forget(const std::string& test, std::uint64_t id) { records_[test].erase(id); }

    bool done(std::uint64_t id) const { return attempts_.contains(id); }
    std::size_t next_attempt(std::uint64_t id) const;

    // Of a remembered test; null when there is none.
    const PointRecord* find(const std::string& test, std::uint64_t id) const;
    // In the order in which they were first measured.
    std::vector<const PointRecord*> of(const std::string& test) const;

  private:
    std::set<std::string> remembered_;
    std::unordered_map<std::uint64_t, std::size_t> attempts_;          // by id, of what stands
    std::unordered_map<std::uint64_t, std::size_t> earlier_attempts_;  // and of what was set aside
    std::map<std::string, std::map<std::uint64_t, PointRecord>> records_;
    std::map<std::string, std::vector<std::uint64_t>> order_;
};

}  // namespace rt::lab
