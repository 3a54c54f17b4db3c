#!/usr/bin/env python3
"""Puts beside each figure that scripts/bench.sh prints the one of the last call that is kept, and says what
fell back. Usage: bench.sh … | bench_beside.py docs/performance.md

The last call stands in that file as it was printed, between ``` lines behind the words "The last call". To keep
a new one, put what bench.sh prints in its place, without what stands behind `|`.

Seconds are compared as ratios, since machines and their neighbours differ from call to call: those that have none
of their own are divided by the floor of their call.
"""

import re
import sys

LINE = re.compile(r"^(\S.{0,33}?) {2,}([\d.]+)(?: +([\d.]+))?$")
FLOOR = "floor: parse and write"
# What is within this of the last call is the machine's doing.
NOISE = 1.1


def figures(lines):
    """By name: the first figure, and the second if there is one."""
    found = {}
    for line in lines:
        line = line.split("|")[0].rstrip()
        if match := LINE.match(line):
            name, first, second = match.groups()
            found[name] = (float(first), None if second is None else float(second))
    return found


def cost(name, figure, floor):
    """What is compared of a figure: less is better."""
    first, second = figure
    if name.endswith(("s and MB", "MB")) or second is None:
        return first if "MB" in name and "s and" not in name else first / floor
    return second


def main():
    text = open(sys.argv[1], encoding="utf-8").read()
    kept = re.search(r"The last call.*?```[a-z]*\n(.*?)```", text, re.DOTALL)
    before = figures(kept.group(1).splitlines()) if kept else {}
    now = sys.stdin.read().splitlines()
    floors = [found.get(FLOOR, (1.0, None))[0] for found in (before, figures(now))]
    fell = []
    for line in now:
        match = LINE.match(line)
        last = before.get(match.group(1)) if match else None
        if last is None:
            print(line)
            continue
        name = match.group(1)
        was, is_now = cost(name, last, floors[0]), cost(name, figures([line])[name], floors[1])
        shown = "  ".join(f"{figure:g}" for figure in last if figure is not None)
        back = not name.startswith("floor") and is_now > was * NOISE
        print(f"{line:<56}| was {shown}" + (", FELL BACK" if back else ""))
        if back:
            fell.append(name)
    if before:
        print("\nfell back: " + ("; ".join(fell) if fell else "nothing"))


main()
