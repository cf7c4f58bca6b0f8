#!/usr/bin/python3
"""A stressed pattern of so many samples in numpy: the same steps as the signal link.pattern, for scripts/benchmark.

Edges at their own times (random, sinusoidal and duty-cycle jitter), the error function of the transition, a first-order
low-pass, white noise. Says the seconds that it took.
"""
import sys
import time

import numpy as np
from scipy.signal import lfilter
from scipy.special import erf

samples, rate, symbol_rate = int(float(sys.argv[1])), 40e9, 2.5e9
per_symbol = rate / symbol_rate
chance = np.random.default_rng(1)
begun = time.perf_counter()
state, bits = np.ones(15, np.int8), np.empty(32767, np.int8)
for k in range(32767):
    bits[k] = state[14] ^ state[13]
    state = np.concatenate([bits[k : k + 1], state[:-1]])
prepared = time.perf_counter()
count = int(samples / per_symbol)
levels = np.where(np.resize(bits, count) > 0, 0.4, -0.4)
at = np.nonzero(np.diff(levels))[0] + 1
rises = levels[at] > levels[at - 1]
place = at * per_symbol + per_symbol * (
    0.012 * chance.standard_normal(len(at))
    + np.where(rises, 0.025, -0.025)
    + 0.06 * np.sin(2 * np.pi * 5e6 * at / symbol_rate)
)
t = np.arange(samples, dtype=np.float32)
# Each sample by the edge before it and the one behind it.
after = np.searchsorted(place, t)
sigma = 0.3 * per_symbol / 1.6832
volts = np.where(after > 0, np.where(rises[np.maximum(after - 1, 0)], 0.4, -0.4), levels[0]).astype(np.float32)
for which in (np.maximum(after - 1, 0), np.minimum(after, len(at) - 1)):
    offset = (t - place[which]) / (sigma * np.sqrt(2))
    near = np.abs(offset) < 4
    step = np.where(rises[which[near]], 0.4, -0.4) * (erf(offset[near]) - np.sign(offset[near]))
    volts[near] += step
keep = np.exp(-2 * np.pi * 2e9 / rate)
volts = lfilter([1 - keep], [1, -keep], volts).astype(np.float32)
volts += 0.005 * chance.standard_normal(samples, dtype=np.float32)
print(f"{time.perf_counter() - prepared:.2f}")
