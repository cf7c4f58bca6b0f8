#!/usr/bin/python3
# An error counter of one's own in lines of JSON (docs/counting.md). This one makes its counts up: a link of 1 Gbit/s with
# frames of 10,000 bits, of whose bits one in ten million is wrong. Put what reads your unit in place of count().
import json
import random
import sys
import time

RATE, FRAME, RATIO = 1e9, 10_000, 1e-7


class Link:
    def __init__(self):
        self.chance = random.Random(20261129)

    def start(self):
        self.begun = time.monotonic()
        self.frames = self.errors = 0

    def count(self):
        frames = int((time.monotonic() - self.begun) * RATE / FRAME)
        mean = (frames - self.frames) * FRAME * RATIO
        # Few errors: a Poisson number by its intervals.
        at = self.chance.expovariate(1)
        while at < mean:
            self.errors += 1
            at += self.chance.expovariate(1)
        self.frames = frames
        return {"counting": 1, "frames": frames, "frame_errors": self.errors, "bits": frames * FRAME,
                "bit_errors": self.errors, "locked": True}


link = Link()
for line in sys.stdin:
    request = json.loads(line)
    if request["do"] == "start":
        link.start()
        answer = {"counting": 1, "started": True}
    else:  # read, stop
        answer = link.count()
    print(json.dumps(answer), flush=True)
