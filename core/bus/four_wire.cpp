#include "core/bus/four_wire.hpp"

#include <algorithm>

namespace rt {
namespace {

// The last change of a line that began before a time, and the first after it; null where there is none.
struct Around {
    const LineEdge *before = nullptr, *after = nullptr;
};

Around changes_around(const Line& line, double time_s) {
    const auto after = std::upper_bound(line.edges.begin(), line.edges.end(), time_s,
                                        [](double t, const LineEdge& e) { return t < e.begin_s; });
    return {after == line.edges.begin() ? nullptr : &*std::prev(after),
            after == line.edges.end() ? nullptr : &*after};
}

class FourWireReader {
  public:
    FourWireReader(const Line& clock, const Line* out, const Line* in, const FourWireSettings& settings,
                   FourWireSeen& seen)
        : clock_(clock), out_(out), in_(in), s_(settings), seen_(seen) {}

    void frame(double from_s, double to_s, const LineEdge& opened, const LineEdge* closed) {
        FourWireFrame frame;
        frame.from_s = from_s;
        frame.to_s = closed ? to_s : -1;
        const bool rest_high = s_.mode >= 2, sample_leading = s_.mode % 2 == 0;
        // The edge from rest is the leading one.
        const bool sample_rises = sample_leading != rest_high;
        auto at = std::lower_bound(clock_.edges.begin(), clock_.edges.end(), from_s,
                                   [](const LineEdge& e, double t) { return e.begin_s < t; });
        const LineEdge *first = nullptr, *last = nullptr, *shift = nullptr, *sampled = nullptr;
        FourWireWord word;
        int bits = 0;
        auto& t = seen_.timings;
        const auto mark = [&](double begin_s, BusMark::What what) {
            seen_.marks.push_back({begin_s, static_cast<std::uint32_t>(seen_.frames.size() + 1),
                                   static_cast<std::uint32_t>(frame.words.size() + 1),
                                   static_cast<std::uint16_t>(bits + 1), what});
        };
        mark(opened.begin_s, BusMark::What::start);
        for (; at != clock_.edges.end() && at->end_s <= to_s; ++at) {
            if (!first) first = &*at;
            if (last) (last->rises ? t.high : t.low).add(at->begin_s - last->end_s, last->end_s);
            last = &*at;
            (at->rises ? t.clock_rise : t.clock_fall).add(at->duration_s(), at->begin_s);
            if (at->rises != sample_rises) {
                shift = &*at;
                mark(at->begin_s, BusMark::What::bit);
                continue;
            }
            if (!shift && !sampled) mark(at->begin_s, BusMark::What::bit);
            if (sampled) t.clock_period.add(at->begin_s - sampled->begin_s, sampled->begin_s);
            if (bits == 0) word = {at->begin_s, 0, 0};
            sample(*at, sampled, shift, from_s, to_s);
            const auto place = s_.lowest_first ? bits : s_.word_bits - 1 - bits;
            if (out_) word.out |= std::uint64_t{high_at(*out_, at->begin_s)} << place;
            if (in_) word.in |= std::uint64_t{high_at(*in_, at->begin_s)} << place;
            if (++bits == s_.word_bits) {
                frame.words.push_back(word);
                bits = 0;
            }
            sampled = &*at;
        }
        frame.loose_bits = bits;
        // Behind the last sampling edge nothing is shifted any more.
        if (shift && sampled && shift->begin_s > sampled->begin_s)
            seen_.marks.back().what = BusMark::What::stop;
        if (closed) mark(closed->begin_s, BusMark::What::stop);
        if (first) t.select_setup.add(first->begin_s - opened.end_s, opened.end_s);
        if (last && closed) t.select_hold.add(closed->begin_s - last->end_s, last->end_s);
        seen_.frames.push_back(std::move(frame));
    }

  private:
    void sample(const LineEdge& edge, const LineEdge* before, const LineEdge* shift, double from_s,
                double to_s) {
        auto& t = seen_.timings;
        const double since = before ? before->end_s : from_s;
        const auto data = [&](const Line& line, Spread& setup, Spread& hold) {
            const Around around = changes_around(line, edge.begin_s);
            if (around.before && around.before->begin_s >= since)
                setup.add(edge.begin_s - around.before->end_s, around.before->end_s);
            if (around.after && around.after->begin_s <= to_s)
                hold.add(around.after->begin_s - edge.end_s, edge.end_s);
        };
        if (out_) data(*out_, t.out_setup, t.out_hold);
        if (!in_) return;
        data(*in_, t.in_setup, t.in_hold);
        if (!shift) return;
        const Around around = changes_around(*in_, edge.begin_s);
        if (around.before && around.before->begin_s >= shift->begin_s)
            t.in_valid.add(around.before->end_s - shift->end_s, shift->end_s);
    }

    const Line& clock_;
    const Line *out_, *in_;
    const FourWireSettings& s_;
    FourWireSeen& seen_;
};

}  // namespace

FourWireTimings::FourWireTimings(std::size_t keep) {
    for (Spread* spread : {&clock_period, &high, &low, &select_setup, &select_hold, &deselected, &out_setup,
                           &out_hold, &in_setup, &in_hold, &in_valid, &clock_rise, &clock_fall})
        spread->keep = keep;
}

std::optional<bool> rests_high(const Line& clock, const Line& select) {
    std::size_t frames = 0, high = 0;
    for (const LineEdge& edge : select.edges) {
        if (edge.rises) continue;
        ++frames;
        high += high_at(clock, edge.end_s);
    }
    if (frames == 0) return std::nullopt;
    return 2 * high > frames;
}

EdgesUsed edges_of_data(const Line& clock, const Line& select, const Line& data, bool clock_rests_high) {
    EdgesUsed out;
    for (const LineEdge& change : data.edges) {
        const Around around = changes_around(clock, change.begin_s);
        if (!around.before || !around.after) continue;
        // Both of the same frame.
        if (high_at(select, around.before->begin_s) || high_at(select, around.after->begin_s)) continue;
        const Around frame = changes_around(select, change.begin_s);
        if (frame.before && frame.before->begin_s > around.before->begin_s) continue;
        const double length = around.after->begin_s - around.before->begin_s;
        const bool next = change.begin_s > around.after->begin_s - length / 7;
        const LineEdge& edge = next ? *around.after : *around.before;
        ++(edge.rises != clock_rests_high ? out.leading : out.trailing);
    }
    return out;
}

FourWireSeen read_four_wire(const Line& clock, const Line& select, const Line* out, const Line* in,
                            const FourWireSettings& settings) {
    constexpr std::size_t kept = 1000;
    FourWireSeen seen;
    seen.timings = FourWireTimings(kept);
    FourWireReader reader(clock, out, in, settings, seen);
    for (std::size_t k = 0; k < select.edges.size(); ++k) {
        const LineEdge& opened = select.edges[k];
        if (opened.rises) {
            if (k + 1 < select.edges.size())
                seen.timings.deselected.add(select.edges[k + 1].begin_s - opened.end_s, opened.end_s);
            continue;
        }
        const LineEdge* closed = k + 1 < select.edges.size() ? &select.edges[k + 1] : nullptr;
        reader.frame(opened.begin_s, closed ? closed->end_s : 1e300, opened, closed);
    }
    return seen;
}

}  // namespace rt
