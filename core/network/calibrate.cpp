#include "core/network/calibrate.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>
#include <optional>

#include "core/base/error.hpp"
#include "core/network/calibration_checks.hpp"
#include "core/network/correct_network.hpp"
#include "core/network/forms.hpp"
#include "core/network/solve_terms.hpp"
#include "core/network/standard.hpp"
#include "core/quantity/quantity.hpp"
#include "core/stats/median.hpp"

namespace rt {

const char* name(CalibrationMethod method) {
    switch (method) {
        case CalibrationMethod::one_port:
            return "open, short and load at one port";
        case CalibrationMethod::two_port:
            return "open, short, load and thru";
        case CalibrationMethod::unknown_thru:
            return "open, short, load and an unknown thru";
        case CalibrationMethod::thru_reflect_line:
            return "thru, reflect and line";
        case CalibrationMethod::line_reflect_match:
            return "line, reflect and match";
    }
    return "";
}

std::string StandardReading::text() const {
    return name + (port == 0 ? "" : " at port " + std::to_string(port));
}

namespace {

constexpr double degree = std::numbers::pi / 180;

// The readings of one frequency, as they stand or moved by noise.
using Readings = std::vector<Complex>;

class Calibration {
  public:
    Calibration(const CalibrationKit& kit, const std::vector<StandardReading>& readings,
                const CalibrationOptions& options)
        : kit_(kit), options_(options), readings_(readings) {
        if (readings.empty()) fail_input("there are no readings of standards");
        const auto& first = readings.front();
        for (const auto& reading : readings) {
            require_same_grid(*first.data, first.text(), *reading.data, reading.text());
            if (reading.data->ports > 2)
                fail_input(reading.text() + ": readings of one or two ports are calibrated");
            if (reading.port == 0 && reading.data->ports != 2)
                fail_input(reading.text() + " must be measured in both directions: a two-port (.s2p)");
            if (reading.data->ports == 2 && reading.port > 2)
                fail_input(reading.text() + ": there are ports 1 and 2");
        }
    }

    ErrorTerms make() {
        find_all();
        ErrorTerms out;
        out.frequency_hz = readings_.front().data->frequency_hz;
        out.reference_ohm = reference();
        out.method = name(options_.method);
        out.ports = options_.method == CalibrationMethod::one_port ? 1 : 2;
        out.port = options_.port;
        out.noise_floor = options_.noise_floor, out.noise_share = options_.noise_share;
        state(out);
        for (int port = 1; port <= 2; ++port) check_port(port);
        const bool noisy = options_.noise_floor > 0 || options_.noise_share > 0;
        for (index_ = 0; index_ < out.frequency_hz.size(); ++index_) {
            hz_ = out.frequency_hz[index_];
            const Readings readings = readings_here();
            prepare(readings);
            collect_ = true;
            out.values.push_back(solve(readings));
            collect_ = false;
            if (noisy) out.moves.push_back(moves(readings, out.values.back()));
        }
        const CheckedTerms checked{&out, &checks_};
        check_terms(checked, options_.upright);
        check_lines();
        if (needs_switch() && !switch_)
            checks_.flag("switch terms were not measured: both directions are taken to end alike");
        out.deviations = std::move(checks_.flags);
        return out;
    }

  private:
    struct Known {
        const StandardReading* reading;
        const Standard* standard;
        std::size_t at;  // its first value among the readings of a frequency
    };

    double reference() const {
        const bool lines = options_.method == CalibrationMethod::thru_reflect_line;
        return lines ? line_.front().standard->impedance_ohm : kit_.reference_ohm;
    }

    // What was measured with the analyser in which state, and of whom there are doubts.
    void state(ErrorTerms& out) const {
        for (const auto& reading : readings_) {
            if (reading.data->distrust && !out.distrust)
                out.distrust = reading.text() + ": " + *reading.data->distrust;
            const auto same = [&](std::optional<double>& all, const std::optional<double>& one,
                                  const char* what, Unit unit) {
                if (!one) return;
                if (all && *all != *one)
                    fail_signal(
                        fmt::format("{} was measured with the {} at {}, others at {}: one state for all "
                                    "standards",
                                    reading.text(), what, format({*one, unit}), format({*all, unit})));
                all = one;
            };
            same(out.attenuator_db, reading.data->attenuator_db, "source attenuator", Unit::db);
            same(out.source_dbm, reading.data->source_dbm, "source level", Unit::dbm);
        }
    }

    void find_all() {
        std::size_t next = 0;
        for (const auto& reading : readings_) {
            const std::size_t at = next;
            next += reading.port == 0 ? 4 : 1;
            if (reading.name == "switch-terms") {
                switch_ = Known{&reading, nullptr, at};
                continue;
            }
            if (reading.name == "isolation") {
                isolation_ = Known{&reading, nullptr, at};
                continue;
            }
            // A thru that is not known needs no definition.
            const bool unknown = reading.name == "thru" && options_.method == CalibrationMethod::unknown_thru;
            const Standard* standard = kit_.find(reading.name, reading.port);
            if (!standard && !unknown)
                fail_input(fmt::format("the kit has no {}{}", reading.name,
                                       reading.port ? fmt::format(" for port {}", reading.port) : ""));
            const Known known{&reading, standard, at};
            const StandardKind kind = standard ? standard->kind : StandardKind::thru;
            if (reading.port == 0) {
                (reading.name.starts_with("line") ? line_ : thru_).push_back(known);
            } else if (kind == StandardKind::reflect || reading.name == "reflect") {
                reflect_[reading.port - 1] = known;
            } else if (reading.name == "match") {
                match_[reading.port - 1] = known;
            } else {
                reflections_[reading.port - 1].push_back(known);
            }
        }
        require_all();
    }

    void require_all() const {
        const auto need = [&](bool there, const std::string& what) {
            if (!there) fail_input(std::string(name(options_.method)) + " needs " + what);
        };
        const auto three = [&](std::size_t port) {
            const auto count = reflections_[port - 1].size();
            need(count >= 3, fmt::format("three standards at port {}, there are {}", port, count));
        };
        switch (options_.method) {
            case CalibrationMethod::one_port:
                three(options_.port);
                break;
            case CalibrationMethod::two_port:
            case CalibrationMethod::unknown_thru:
                three(1), three(2);
                need(!thru_.empty(), "a thru");
                break;
            case CalibrationMethod::thru_reflect_line:
                need(!thru_.empty(), "a thru");
                need(!line_.empty(), "a line");
                need(reflect_[0] && reflect_[1], "a reflect at both ports");
                break;
            case CalibrationMethod::line_reflect_match:
                need(!thru_.empty() || !line_.empty(), "a line (or a thru)");
                need(reflect_[0] && reflect_[1], "a reflect at both ports");
                need(match_[0] && match_[1], "a match at both ports");
                break;
        }
        for (const auto& line : line_) {
            if (line.standard->impedance_ohm != line_.front().standard->impedance_ohm)
                fail_input("the kit's lines have different impedances");
        }
    }

    bool needs_switch() const {
        return options_.method != CalibrationMethod::one_port &&
               options_.method != CalibrationMethod::two_port;
    }

    Readings readings_here() const {
        Readings out;
        for (const auto& reading : readings_) {
            if (reading.port > 0) {
                out.push_back(reading.at(index_));
                continue;
            }
            const Two m = two_at(*reading.data, index_);
            out.insert(out.end(), {m.a, m.b, m.c, m.d});
        }
        return out;
    }

    // Two-ports against what the ports show of themselves; lines and reflects against what they should be.
    void check_lines() {
        std::vector<double> reflect, turn;
        for (const auto& g : found_) reflect.push_back(std::abs(g));
        for (const auto& r : turned_) turn.push_back(std::abs(std::arg(r)) / degree);
        if (!through_.empty()) {
            std::vector<double> through;
            for (const auto& t : through_) through.push_back(std::abs(t));
            if (median(through) < 0.02) fail_signal("the thru lets nothing through: it is not connected");
            if (*std::max_element(through.begin(), through.end()) > 1.1)
                checks_.flag("the thru comes out with a gain");
        }
        if (!reflect_[0] || !reflect_[1] || found_.empty()) return;
        std::vector<Known> joined = thru_;
        joined.insert(joined.end(), line_.begin(), line_.end());
        for (const auto& known : joined) {
            std::vector<double> share;
            for (std::size_t i = 0; i < known.reading->data->frequency_hz.size(); ++i) {
                const Two m = two_at(*known.reading->data, i);
                const Complex one = reflect_[0]->reading->at(i) - m.a,
                              other = reflect_[1]->reading->at(i) - m.d;
                share.push_back(std::abs(m.b * m.c) / (std::abs(one * other) + 1e-300));
            }
            if (median(share) < 4e-4)
                fail_signal("the " + known.reading->name + " lets nothing through: it is not connected");
        }
        if (!turn.empty() && median(turn) > 45)
            fail_signal(fmt::format(
                "the line turns the phase {:.3g} degrees otherwise than the kit says: it is another "
                "one, or the thru was measured twice",
                median(turn)));
        if (!turn.empty() && median(turn) > 20)
            checks_.flag("the line turns the phase more than 20 degrees otherwise than the kit says");
        if (median(reflect) < 0.3 || median(reflect) > 1.2)
            fail_signal(
                fmt::format("the reflect comes out with a reflection of {:.3g}: it was not connected, or not "
                            "the same at both ports",
                            median(reflect)));
    }

    // One port's standards over all frequencies: read alike, or never three apart.
    void check_port(int port) {
        std::vector<PortReading> all;
        for (const auto& known : reflections_[static_cast<std::size_t>(port - 1)]) {
            PortReading one{known.reading->text(), {}, {}};
            for (std::size_t i = 0; i < known.reading->data->frequency_hz.size(); ++i) {
                one.actual.push_back(
                    reflection_of(*known.standard, known.reading->data->frequency_hz[i], kit_.reference_ohm));
                one.read.push_back(known.reading->at(i));
            }
            all.push_back(std::move(one));
        }
        if (all.empty()) return;
        check_readings(all, readings_.front().data->frequency_hz, checks_);
        actual_[static_cast<std::size_t>(port - 1)] = std::move(all);
    }

    Two two(const Known& known, const Readings& r) const {
        return {r[known.at], r[known.at + 1], r[known.at + 2], r[known.at + 3]};
    }
    PortTerms port(std::size_t number, const Readings& r) const {
        std::vector<Complex> actual, read;
        for (std::size_t k = 0; k < reflections_[number - 1].size(); ++k) {
            actual.push_back(actual_[number - 1][k].actual[index_]);
            read.push_back(r[reflections_[number - 1][k].at]);
        }
        return solve_port(actual, read);
    }
    std::pair<Complex, Complex> isolation_at(const Readings& r) const {
        if (!isolation_) return {0.0, 0.0};
        return {r[isolation_->at + 2], r[isolation_->at + 1]};
    }
    std::pair<Complex, Complex> switch_at(const Readings& r) const {
        if (!switch_) return {0.0, 0.0};
        return {r[switch_->at + 2], r[switch_->at + 1]};
    }
    // Without isolation and switch terms.
    Two plain(const Known& known, const Readings& r) const {
        Two m = two(known, r);
        const auto [xf, xr] = isolation_at(r);
        m.c -= xf, m.b -= xr;
        const auto [f, b] = switch_at(r);
        return without_switch(m, f, b);
    }

    // What tells roots apart, chosen once a frequency so that noise does not change it.
    void prepare(const Readings& r) {
        if (options_.method == CalibrationMethod::unknown_thru) choose_through(r);
        if (options_.method == CalibrationMethod::thru_reflect_line) choose_line();
    }

    // Where the thru's definition tells its phase, by that; else along frequency from about 0 at the lowest.
    void choose_through(const Readings& r) {
        const PortTerms one = port(1, r), two_terms = port(2, r);
        const Two m = plain(thru_.front(), r);
        const Standard* standard = thru_.front().standard;
        Complex near = 1;
        if (standard) {
            near = std::polar(1.0, expected_phase(*standard, hz_));
        } else if (index_ == 1) {
            near = through_.back();
        } else if (index_ > 1) {
            // The turn from point to point goes on as it went.
            const auto& f = readings_.front().data->frequency_hz;
            const double share = (f[index_] - f[index_ - 1]) / (f[index_ - 1] - f[index_ - 2]);
            near = through_.back() *
                   std::polar(1.0, share * std::arg(through_.back() / through_[through_.size() - 2]));
        }
        const Complex joint = joint_by_thru(one, two_terms, m, near);
        const TermValues terms = twelve_terms(one, two_terms, joint, 0, 0);
        through_.push_back(actual_of(m, terms).c);
        near_ = near;
    }

    // The line whose phase beyond the thru's is nearest to 90 degrees.
    void choose_line() {
        const double thru = expected_phase(*thru_.front().standard, hz_);
        double best = -1;
        for (const auto& line : line_) {
            const double turn = expected_phase(*line.standard, hz_) - thru;
            const double sine = std::abs(std::sin(turn));
            if (sine <= best) continue;
            best = sine;
            chosen_line_ = &line;
        }
        const double from_end = std::asin(std::min(best, 1.0)) / degree;
        if (from_end < 5)
            fail_signal(
                fmt::format("the line is {:.3g} degrees from a thru (or from half a turn) at {}: no term "
                            "can be told; take another line",
                            from_end, format({hz_, Unit::hertz})));
        if (from_end < 20) checks_.flag("the line is less than 20 degrees from a thru or half a turn", hz_);
    }

    TermValues solve(const Readings& r) {
        TermValues out{};
        const auto [xf, xr] = isolation_at(r);
        const auto [f, b] = switch_at(r);
        switch (options_.method) {
            case CalibrationMethod::one_port: {
                const PortTerms p = port(options_.port, r);
                const std::size_t first = options_.port == 2 ? std::size_t{reverse} : 0;
                out[first] = p.directivity, out[first + source_match] = p.source_match;
                out[first + reflection_tracking] = p.tracking;
                return out;
            }
            case CalibrationMethod::two_port: {
                const Two thru = transmission_of(*thru_.front().standard, hz_, kit_.reference_ohm);
                return terms_by_thru(port(1, r), port(2, r), two(thru_.front(), r), thru, xf, xr);
            }
            case CalibrationMethod::unknown_thru: {
                const PortTerms one = port(1, r), other = port(2, r);
                out =
                    twelve_terms(one, other, joint_by_thru(one, other, plain(thru_.front(), r), near_), f, b);
                break;
            }
            case CalibrationMethod::thru_reflect_line:
                out = by_line(r, f, b);
                break;
            case CalibrationMethod::line_reflect_match:
                out = by_match(r, f, b);
                break;
        }
        out[isolation] = xf, out[reverse + isolation] = xr;
        return out;
    }

    Complex reflect_near() const {
        const Standard* s = reflect_[0]->standard;
        // Only its sign counts: what it is made of, without its loss.
        Standard plain = *s;
        if (plain.kind == StandardKind::reflect) plain.kind = StandardKind::short_circuit;
        return reflection_of(plain, hz_, reference());
    }

    TermValues by_line(const Readings& r, Complex f, Complex b) {
        const Standard& thru = *thru_.front().standard;
        const Standard& line = *chosen_line_->standard;
        const OffsetLine short_one = offset_line(thru, hz_), long_one = offset_line(line, hz_);
        const Complex turn = std::exp(-(long_one.gamma_l - short_one.gamma_l));
        const auto once = std::exp(-short_one.gamma_l);
        Complex eigen;
        LineTerms t =
            solve_thru_line(chain_of(plain(thru_.front(), r)), chain_of(plain(*chosen_line_, r)), turn,
                            r[reflect_[0]->at], r[reflect_[1]->at], reflect_near() / once, eigen);
        if (collect_) found_.push_back(t.reflection), turned_.push_back(eigen / turn);
        if (thru.delay_s > 0) {
            // The line's own loss and phase, in proportion to the length.
            const double expected = -(long_one.gamma_l - short_one.gamma_l).imag();
            const double turns = std::round((expected - std::arg(eigen)) / (2 * std::numbers::pi));
            const Complex gamma_dl =
                -Complex(std::log(std::abs(eigen)), std::arg(eigen) + 2 * std::numbers::pi * turns);
            const Complex back = std::exp(gamma_dl * thru.delay_s / (line.delay_s - thru.delay_s));
            t.one.source_match *= back, t.one.tracking *= back;
            t.two.source_match *= back, t.two.tracking *= back, t.joint *= back;
        }
        return twelve_terms(t.one, t.two, t.joint, f, b);
    }

    TermValues by_match(const Readings& r, Complex f, Complex b) {
        const Known& through = line_.empty() ? thru_.front() : line_.front();
        const Complex once = std::exp(-offset_line(*through.standard, hz_).gamma_l);
        const Complex match = reflection_of(*match_[0]->standard, hz_, kit_.reference_ohm);
        const LineTerms t =
            solve_line_match(chain_of(plain(through, r)), once, match, r[match_[0]->at], r[match_[1]->at],
                             r[reflect_[0]->at], r[reflect_[1]->at], reflect_near());
        if (collect_) found_.push_back(t.reflection);
        return twelve_terms(t.one, t.two, t.joint, f, b);
    }

    std::vector<TermValues> moves(const Readings& r, const TermValues& base) {
        std::vector<TermValues> out;
        for (std::size_t k = 0; k < r.size(); ++k) {
            const double deviation = std::hypot(options_.noise_floor, options_.noise_share * std::abs(r[k]));
            const double step = 1e-6 * (std::abs(r[k]) + 1e-3);
            Readings moved = r;
            moved[k] += step;
            TermValues there = solve(moved);
            bool any = false;
            for (std::size_t t = 0; t < term_count; ++t) {
                there[t] = (there[t] - base[t]) * (deviation / step);
                any = any || there[t] != 0.0;
            }
            if (any) out.push_back(there);
        }
        return out;
    }

    const CalibrationKit& kit_;
    const CalibrationOptions& options_;
    std::vector<StandardReading> readings_;
    std::array<std::vector<Known>, 2> reflections_;
    std::array<std::vector<PortReading>, 2> actual_;
    std::array<std::optional<Known>, 2> reflect_, match_;
    std::vector<Known> thru_, line_;
    std::optional<Known> switch_, isolation_;
    CalibrationChecks checks_;
    std::vector<Complex> through_;         // S21 of the unknown thru so far
    std::vector<Complex> found_, turned_;  // the reflect, and the line's turn against the expected one
    bool collect_ = false;
    Complex near_ = 1;
    const Known* chosen_line_ = nullptr;
    std::size_t index_ = 0;
    double hz_ = 0;
};

}  // namespace

ErrorTerms calibrate(const CalibrationKit& kit, const std::vector<StandardReading>& readings,
                     const CalibrationOptions& options) {
    return Calibration(kit, readings, options).make();
}

}  // namespace rt
