// What a run has measured so far: attempts at each point, and the records of tests that something later is
// made from.
#pragma once

#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

std::uint64_t id_of(const PointRecord& record);

// Whether a point of another test has the values of this one on the axes that both have.
bool shares_axes(const TextPairs& other, const TextPairs& own);

class Measured {
  public:
    // Tests that searches, derived values, calibrations, inputs and conclusions are made from are remembered.
    explicit Measured(const Plan& plan);
    // Of a kept run, these tests.
    explicit Measured(std::set<std::string> tests) : remembered_(std::move(tests)) {}

    // Whether any test is remembered; a point that stands, where its test is.
    bool remembers() const { return !remembered_.empty(); }
    void remember(const PointRecord& record);

    // A point that stands; its attempt is the highest of its id.
    void put(const PointRecord& record);
    // One that counts as not measured, but for the number of its attempts.
    void set_aside(const PointRecord& record);
    void forget(const std::string& test, std::uint64_t id) { tests_[test].forget(id); }

    bool done(std::uint64_t id) const { return attempts_.contains(id); }
    std::size_t next_attempt(std::uint64_t id) const;

    // Of a remembered test; null when there is none.
    const PointRecord* find(const std::string& test, std::uint64_t id) const;
    // In the order in which they were first measured. Holds until the next point.
    const std::vector<const PointRecord*>& of(const std::string& test) const;
    // Those of them that have these values on all axes that the test's points have; found without going
    // through the others where `axes` has all of these.
    std::vector<const PointRecord*> at(const std::string& test, const TextPairs& axes) const;

  private:
    std::set<std::string> remembered_;
    std::unordered_map<std::uint64_t, std::size_t> attempts_;          // by id, of what stands
    std::unordered_map<std::uint64_t, std::size_t> earlier_attempts_;  // and of what was set aside
    // The points of a test that stand, as lists that are asked for at every point of another.
    struct Points {
        std::map<std::uint64_t, PointRecord> records;
        std::vector<std::uint64_t> ids;  // in the order in which they were first measured
        std::unordered_set<std::uint64_t> known;
        std::vector<const PointRecord*> list;
        std::unordered_map<std::string, std::vector<const PointRecord*>> by_axes;
        std::vector<std::string> axes;  // names that all its points have
        bool alike = true;              // they have no others

        void put(std::uint64_t id, const PointRecord& record);
        void forget(std::uint64_t id);

      private:
        void list_anew();
        void enlist(const PointRecord& record);
    };
    std::map<std::string, Points> tests_;
};

}  // namespace rt::lab
