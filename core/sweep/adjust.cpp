#include "core/sweep/adjust.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {

Adjustment::Adjustment(const Adjust& what) : what_(what) {
    if (what.from.unit != what.to.unit) fail_input("from and to have different units");
    if (what.from.value == what.to.value) fail_input("from and to are the same: there is nothing to move");
    if (!(what.tolerance > 0)) fail_input("the tolerance must be above 0");
    if (what.method == AdjustMethod::secant && !(what.step.value > 0)) fail_input("the step must be above 0");
    if (what.trials < 2 || what.trials > 1000) fail_input("trials: 2 to 1000 are possible");
    next_ = what.from.value;
}

std::optional<Quantity> Adjustment::next() const {
    if (!next_) return std::nullopt;
    return Quantity{*next_, what_.from.unit};
}

double Adjustment::clamp(double value) const {
    return std::clamp(value, std::min(what_.from.value, what_.to.value),
                      std::max(what_.from.value, what_.to.value));
}

void Adjustment::put(std::optional<double> result) {
    last_ = {*next_, what_.from.unit};
    next_.reset();
    if (!result || !std::isfinite(*result)) {
        failure_ = "the trial at " + format(last_) + " has no valid " + what_.result;
        return;
    }
    const double off = *result - what_.target;
    values_.push_back(last_.value);
    results_.push_back(*result);
    found_ = std::abs(off) <= what_.tolerance * (1 + 1e-12);
    if (found_) return;
    // Of a bracket whose one end stays, the result at that end counts half: the line reaches it sooner.
    if (off < 0) {
        if (low_ && high_) high_off_ /= 2;
        low_ = last_.value, low_off_ = off;
    } else {
        if (low_ && high_) low_off_ /= 2;
        high_ = last_.value, high_off_ = off;
    }
    if (values_.size() >= what_.trials) {
        failure_ = "not within the tolerance after " + std::to_string(values_.size()) + " trials";
        return;
    }
    choose();
}

void Adjustment::choose() {
    if (what_.method == AdjustMethod::bisection) {
        if (values_.size() == 1) {
            next_ = what_.to.value;
        } else if (!low_ || !high_) {
            failure_ = "the target does not lie between what the bounds give";
        } else {
            next_ = (*low_ + *high_) / 2;
        }
    } else {
        secant();
    }
    // The setting has no finer steps, or the result does not follow it.
    if (next_ && std::find(values_.begin(), values_.end(), *next_) != values_.end()) {
        next_.reset();
        failure_ = "the result does not come nearer to the target at " + format(last_);
    }
}

void Adjustment::secant() {
    const double towards = what_.to.value > what_.from.value ? 1 : -1;
    if (values_.size() == 1) {
        next_ = clamp(what_.from.value + towards * what_.step.value);
        return;
    }
    if (low_ && high_) {
        next_ = (*low_ * high_off_ - *high_ * low_off_) / (high_off_ - low_off_);
        return;
    }
    const double last = values_.back(), before = values_[values_.size() - 2];
    const double slope = (results_.back() - results_[results_.size() - 2]) / (last - before);
    const double most = 2 * std::abs(last - before);
    double move = slope == 0 ? towards * most : (what_.target - results_.back()) / slope;
    move = std::clamp(move, -most, most);
    const double wanted = clamp(last + move);
    if (wanted == last) {
        failure_ = "the target is not reached at " + format(last_) + ", the end of what may be set";
        return;
    }
    next_ = wanted;
}

Trial trial_of(const std::string& test, const Sweep& outer, const Point& point, const Adjust& adjust,
               Quantity value) {
    Search as_search;
    as_search.axis = adjust.axis;
    as_search.sets = adjust.sets;
    return trial_of(test, outer, point, as_search, value);
}

}  // namespace rt
