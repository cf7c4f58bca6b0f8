#!/usr/bin/python3
"""Bit errors of a looped-back record in numpy: edges, clock, bits, errors against the sequence, as serial.pattern finds them.

Takes a file of 32-bit numbers, its sample rate and the symbol rate; says the seconds, bits and errors.
"""
import sys
import time

import numpy as np

volts = np.fromfile(sys.argv[1], np.float32)
rate, symbol_rate = float(sys.argv[2]), float(sys.argv[3])
begun = time.perf_counter()
low, high = np.percentile(volts[::101], [2, 98])
above = volts > (low + high) / 2
k = np.nonzero(np.diff(above))[0]
level = (low + high) / 2
edges = k + (level - volts[k]) / (volts[k + 1] - volts[k])
# Symbols between edges, then the line through all of them.
number = np.concatenate([[0], np.cumsum(np.maximum(1, np.rint(np.diff(edges) * symbol_rate / rate)))])
slope, first = np.polyfit(number, edges, 1)
bits = np.repeat(above[k[:-1] + 1], np.diff(number).astype(np.int64)).astype(np.int8)
# The sequence's own check sum: a wrong bit is seen three times.
check = bits[15:] ^ bits[1:-14] ^ bits[:-15]
errors = int(round(check.sum() / 3))
print(f"{time.perf_counter() - begun:.2f} {len(bits)} {errors}")
