#!/usr/bin/python3
"""Bit errors of a looped-back record in numpy: edges, clock, bits, errors against the sequence, as serial.pattern finds them.

Takes a file of 32-bit numbers, its sample rate and the symbol rate; says the seconds, bits and errors, first with the same
steps (levels from every eighth piece, a band of hysteresis, crossings of the band-limited signal by a windowed sinc, a clock
that follows the edges one by one, which numpy has no word for), then with the same edges and spacings rounded to symbols and
added up in place of such a clock, then with straight lines between samples and no hysteresis besides.
"""
import sys
import time

import numpy as np

REACH, PHASES, BETA = 16, 512, 9.0


def sinc_weights():
    """Row p: weights of 2 REACH samples for a place p / PHASES behind the sample before it."""
    k = np.arange(2 * REACH) - REACH + 1
    x = k[None, :] - np.arange(PHASES + 1)[:, None] / PHASES
    edge = np.clip(1 - (x / REACH) ** 2, 0, None)
    out = np.sinc(x) * np.i0(BETA * np.sqrt(edge)) * (edge > 0)
    return (out / out.sum(axis=1, keepdims=True)).astype(np.float32)


def levels_of(volts):
    """The middles of the two humps of the levels of every eighth piece."""
    pieces = volts[: len(volts) // 65536 * 65536].reshape(-1, 65536)[::8]
    count, edges = np.histogram(pieces, 4096)
    middle = len(count) // 2
    places = (edges[1:] + edges[:-1]) / 2
    return places[np.argmax(count[:middle])], places[middle + np.argmax(count[middle:])]


def between(volts, k, level, weights):
    """Where the band-limited signal crosses the level between sample k and the next: up to six steps of false position."""
    around = volts[k[:, None] + np.arange(-REACH + 1, REACH + 1)]
    low, high = np.zeros(len(k)), np.ones(len(k))
    f_low, f_high = volts[k] - level, volts[k + 1] - level
    at = f_low / (f_low - f_high)
    todo = np.arange(len(k))
    for _ in range(6):
        place = at[todo] * PHASES
        row = np.minimum(place.astype(np.int64), PHASES - 1)
        share = (place - row).astype(np.float32)
        near = around[todo]
        a = np.einsum("ij,ij->i", near, weights[row])
        b = np.einsum("ij,ij->i", near, weights[row + 1])
        f = a + share * (b - a) - level
        before = (f < 0) == (f_low[todo] < 0)
        low[todo] = np.where(before, at[todo], low[todo])
        f_low[todo] = np.where(before, f, f_low[todo])
        high[todo] = np.where(before, high[todo], at[todo])
        f_high[todo] = np.where(before, f_high[todo], f)
        width = f_low[todo] - f_high[todo]
        following = low[todo] + (high[todo] - low[todo]) * np.where(width == 0, 0.5, f_low[todo] / np.where(width == 0, 1, width))
        moved = np.abs(following - at[todo]) >= 1e-4
        at[todo] = following
        todo = todo[moved]
        if len(todo) == 0:
            break
    return at


def same_steps(volts):
    low, high = levels_of(volts)
    level, band = np.float32((low + high) / 2), np.float32((high - low) * 0.1)
    # The state where the signal is outside of the band; within it the last one holds.
    outside = np.nonzero(np.abs(volts - level) > band)[0]
    is_high = volts[outside] > level
    turns = np.nonzero(is_high[1:] != is_high[:-1])[0]
    # The last crossing of the threshold between the two samples outside.
    first, last, rises = outside[turns], outside[turns + 1], is_high[turns + 1]
    k = last - 1
    wrong = (volts[k] > level) == rises
    while np.any(wrong & (k > first)):
        k = np.where(wrong & (k > first), k - 1, k)
        wrong = (volts[k] > level) == rises
    whole = (k >= REACH) & (k + REACH + 1 < len(volts))
    k, rises = k[whole], rises[whole]
    weights = sinc_weights()
    pieces = [k[i : i + 65536] for i in range(0, len(k), 65536)]
    edges = k + np.concatenate([between(volts, piece, level, weights) for piece in pieces])
    return edges, rises


def following(edges, interval):
    """Edge numbers from a clock that follows edges by half of what they are off, and their rate by a hundredth."""
    numbers = [0]
    local, phase, most = interval, float(edges[0]), 0.02 * interval
    for edge in edges[1:].tolist():
        count = int((edge - phase) / local + 0.5)
        numbers.append(numbers[-1] + max(1, count))
        if count < 1:
            continue
        off = edge - (phase + count * local)
        phase += count * local + 0.5 * off
        if count <= 8:
            local += 0.01 * min(max(off / count, -most), most)
    return np.array(numbers)


def added_up(edges, interval):
    return np.concatenate([[0], np.cumsum(np.maximum(1, np.rint(np.diff(edges) / interval)))])


def straight_lines(volts):
    low, high = np.percentile(volts[::101], [2, 98])
    level = (low + high) / 2
    above = volts > level
    k = np.nonzero(np.diff(above))[0]
    return k + (level - volts[k]) / (volts[k + 1] - volts[k]), above[k + 1]


def main():
    volts = np.fromfile(sys.argv[1], np.float32)
    rate, symbol_rate = float(sys.argv[2]), float(sys.argv[3])
    for name, edges_of, numbers_of in (
        ("the same steps", same_steps, following),
        ("spacings added up", same_steps, added_up),
        ("straight lines, no hysteresis", straight_lines, added_up),
    ):
        begun = time.perf_counter()
        edges, rises = edges_of(volts)
        # Symbols between edges, then the line through all of them.
        number = numbers_of(edges, rate / symbol_rate)
        slope, first = np.polyfit(number, edges, 1)
        late = edges - (first + slope * number)
        bits = np.repeat(rises[:-1], np.diff(number).astype(np.int64)).astype(np.int8)
        # The sequence's own check sum: a wrong bit is seen three times.
        check = bits[15:] ^ bits[1:-14] ^ bits[:-15]
        errors = int(round(check.sum() / 3))
        seconds = time.perf_counter() - begun
        print(f"{name}: {seconds:.2f} s, {len(bits)} bits, {errors} errors, jitter {np.std(late) / rate * 1e12:.3f} ps")


main()
