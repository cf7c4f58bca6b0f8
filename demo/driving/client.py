#!/usr/bin/env python3
"""Drives a run: starts it, answers what it asks, and prints the verdicts. See docs/driving.md.

    python3 demo/driving/client.py rare-tally run demo/campaign.toml --out driven --driven
"""
import json
import subprocess
import sys

run = subprocess.Popen(sys.argv[1:], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)


def reply(request, text):
    run.stdin.write(json.dumps({"id": request["id"], "reply": text}) + "\n")
    run.stdin.flush()


for line in run.stdout:
    event = json.loads(line)
    kind = event["event"]
    if kind == "question":
        # What the campaign wants to know before it begins; its default will do here.
        reply(event, event["default"] or "yes")
    elif kind == "ask":
        reply(event, "go")
    elif kind == "read":
        reply(event, "")
    elif kind == "point":
        for finding in event["findings"]:
            print(event["test"], event["point"], finding["rule"], finding["verdict"])
    elif kind == "finished":
        print(event["state"], event["counts"])
sys.exit(run.wait())
