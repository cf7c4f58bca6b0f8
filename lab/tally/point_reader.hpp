// Points of a tally one after another, so that memory does not grow with the run.
#pragma once

#include <memory>

#include "lab/model/record.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt::lab {

class PointReader {
  public:
    // Of any schema that is read here. The database stays in one transaction while it is read.
    explicit PointReader(Database& database);
    ~PointReader();
    PointReader(const PointReader&) = delete;
    PointReader& operator=(const PointReader&) = delete;

    // The next point in the order of the run, superseded ones too; findings of void ones without verdict.
    // False behind the last. Throws Error(input) where rows belong to points that are not there.
    bool next(PointRecord& point);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
