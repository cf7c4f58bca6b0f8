#include "core/bus/two_wire.hpp"

#include <algorithm>

namespace rt {
namespace {

struct Event {
    double time_s;
    bool clock, rises;
    const LineEdge* edge;
};

// Follows both lines event by event.
class TwoWireReader {
  public:
    TwoWireReader(const Line& clock, const Line& data, TwoWireSeen& out)
        : out_(out), clock_high_(clock.begins_high), data_high_(data.begins_high) {}

    void take(const Event& e) {
        if (e.clock) {
            e.rises ? clock_rises(*e.edge) : clock_falls(*e.edge);
        } else {
            data_changes(*e.edge);
        }
    }
    // At the end of the record.
    void finish() {
        if (lows_.empty()) return;
        auto sorted = lows_;
        const auto half = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
        std::nth_element(sorted.begin(), half, sorted.end(),
                         [](const ClockStretch& a, const ClockStretch& b) { return a.low_s < b.low_s; });
        out_.usual_low_s = half->low_s;
        for (const ClockStretch& low : lows_) {
            if (low.low_s > 1.5 * out_.usual_low_s) out_.stretches.push_back(low);
        }
    }

  private:
    TwoWireTimings& t() { return out_.timings; }
    TwoWireTransfer& transfer() { return out_.transfers.back(); }

    void clock_rises(const LineEdge& e) {
        clock_high_ = true;
        plain_ = true;
        t().clock_rise.add(e.duration_s(), e.begin_s);
        if (fall_) {
            t().low.add(e.begin_s - fall_->end_s, fall_->end_s);
            if (active_) lows_.push_back({fall_->end_s, e.begin_s - fall_->end_s});
        }
        if (active_) {
            if (change_ && fall_ && change_->begin_s >= fall_->begin_s)
                t().data_setup.add(e.begin_s - change_->end_s, change_->end_s);
            bit(e);
        }
        rise_ = &e;
    }

    void clock_falls(const LineEdge& e) {
        clock_high_ = false;
        t().clock_fall.add(e.duration_s(), e.begin_s);
        if (rise_ && plain_) t().high.add(e.begin_s - rise_->end_s, rise_->end_s);
        if (rise_ && plain_ && fall_ && active_ && !start_) {
            const double from = middle(*fall_), to = middle(e);
            t().duty_cycle.add((to - middle(*rise_)) / (to - from), from);
        }
        if (active_) mark(e.begin_s, BusMark::What::bit);
        if (start_) {
            t().start_hold.add(e.begin_s - start_->end_s, start_->end_s);
            start_ = nullptr;
        } else if (active_ && fall_) {
            t().clock_period.add(e.begin_s - fall_->begin_s, fall_->begin_s);
        }
        fall_ = &e;
        change_ = nullptr;
    }

    void data_changes(const LineEdge& e) {
        (e.rises ? t().data_rise : t().data_fall).add(e.duration_s(), e.begin_s);
        data_high_ = e.rises;
        if (clock_high_) {
            e.rises ? stop(e) : start(e);
            return;
        }
        if (active_ && fall_) {
            t().data_hold.add(e.begin_s - fall_->end_s, fall_->end_s);
            (bits_ == 8 ? t().acknowledge_valid : t().data_valid).add(e.end_s - fall_->end_s, fall_->end_s);
        }
        change_ = &e;
    }

    void start(const LineEdge& e) {
        plain_ = false;
        if (active_) {
            // The clock that rose for the start is no bit.
            if (bits_ > 0) --bits_;
            close();
            if (rise_) t().start_setup.add(e.begin_s - rise_->end_s, rise_->end_s);
        } else if (stop_) {
            t().bus_free.add(e.begin_s - stop_->end_s, stop_->end_s);
        }
        if (active_) mark_end();
        TwoWireTransfer next;
        next.repeated = active_;
        next.start_s = e.end_s;
        out_.transfers.push_back(std::move(next));
        mark(e.begin_s, BusMark::What::start);
        active_ = true;
        bits_ = 0;
        start_ = &e;
    }

    void stop(const LineEdge& e) {
        plain_ = false;
        if (active_) {
            if (rise_) t().stop_setup.add(e.begin_s - rise_->end_s, rise_->end_s);
            mark_end();
            if (bits_ > 0) --bits_;
            close();
            transfer().stop_s = e.end_s;
        }
        active_ = false;
        stop_ = &e;
    }

    static double middle(const LineEdge& e) { return (e.begin_s + e.end_s) / 2; }

    void mark(double from_s, BusMark::What what) {
        const auto group = static_cast<std::uint32_t>(out_.transfers.size());
        const auto word = static_cast<std::uint32_t>(transfer().bytes.size() + 1);
        out_.marks.push_back({from_s, group, word, static_cast<std::uint16_t>(bits_ + 1), what});
    }
    // The clock that rose for a stop or a repeated start is no bit.
    void mark_end() {
        if (!out_.marks.empty() && out_.marks.back().what == BusMark::What::bit)
            out_.marks.back().what = BusMark::What::stop;
    }

    void close() {
        if (!out_.transfers.empty()) transfer().loose_bits = bits_;
        bits_ = 0;
    }

    void bit(const LineEdge& e) {
        if (bits_ == 0) byte_ = {e.begin_s, 0, transfer().bytes.empty(), false};
        if (bits_ < 8) {
            byte_.value = static_cast<std::uint8_t>(byte_.value << 1 | (data_high_ ? 1 : 0));
            ++bits_;
            return;
        }
        byte_.acknowledged = !data_high_;
        transfer().bytes.push_back(byte_);
        bits_ = 0;
    }

    TwoWireSeen& out_;
    std::vector<ClockStretch> lows_;
    bool clock_high_, data_high_, active_ = false;
    bool plain_ = false;  // no start or stop since the clock rose
    std::size_t bits_ = 0;
    TwoWireByte byte_;
    const LineEdge *rise_ = nullptr, *fall_ = nullptr, *start_ = nullptr, *stop_ = nullptr,
                   *change_ = nullptr;
};

}  // namespace

TwoWireTimings::TwoWireTimings(std::size_t keep) {
    for (Spread* spread : {&clock_period, &low, &high, &start_hold, &start_setup, &stop_setup, &bus_free,
                           &data_hold, &data_setup, &data_valid, &acknowledge_valid, &clock_rise, &clock_fall,
                           &data_rise, &data_fall, &duty_cycle})
        spread->keep = keep;
}

TwoWireSeen read_two_wire(const Line& clock, const Line& data) {
    std::vector<Event> events;
    // A change counts when the line has arrived; a rising clock already when it leaves its low level: data
    // must stand by then.
    for (const auto& e : clock.edges) events.push_back({e.rises ? e.end_s : e.begin_s, true, e.rises, &e});
    for (const auto& e : data.edges) events.push_back({e.end_s, false, e.rises, &e});
    std::stable_sort(events.begin(), events.end(),
                     [](const Event& a, const Event& b) { return a.time_s < b.time_s; });
    constexpr std::size_t kept = 1000;
    TwoWireSeen out;
    out.timings = TwoWireTimings(kept);
    TwoWireReader reader(clock, data, out);
    for (const Event& e : events) reader.take(e);
    reader.finish();
    return out;
}

}  // namespace rt
