#include "lab/run/stability.hpp"

#include <algorithm>
#include <cmath>

namespace rt::lab {

bool Stability::covers(const std::string& test) const {
    const auto& covered = recheck_->covers;
    return covered.empty() || std::find(covered.begin(), covered.end(), test) != covered.end();
}

bool Stability::due() const {
    if (checks_ == 0) return true;
    if (recheck_->every_points > 0 && since_.size() >= recheck_->every_points) return true;
    return recheck_->every_s > 0 && last_.seconds() >= recheck_->every_s;
}

void Stability::vouch(Vouched point) {
    since_.push_back(std::move(point));
}

std::optional<std::string> Stability::put(const PointRecord& check) {
    ++checks_;
    last_ = Stopwatch();
    const Result* result = check.find_result(recheck_->result);
    if (!result) {
        return "recheck " + recheck_->test.name + " has no " + recheck_->result +
               (check.notes.empty() ? "" : " (" + check.notes.back() + ")");
    }
    if (!reference_) {
        reference_ = result->value.value;
        since_.clear();
        return std::nullopt;
    }
    const double difference = result->value.value - *reference_;
    if (std::abs(difference) <= recheck_->within) {
        since_.clear();
        return std::nullopt;
    }
    const Unit unit = is_decibel(result->value.unit) ? Unit::db : result->value.unit;
    return "recheck " + recheck_->test.name + ": " + recheck_->result + " " + format(result->value) + ", " +
           format({difference, unit}) + " from the reference, allowed is " + format({recheck_->within, unit});
}

}  // namespace rt::lab
