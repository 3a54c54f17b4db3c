#!/usr/bin/env python3
"""Times a command and its floor in turn, so that what neighbours take is taken from both.

Usage: bench_pairs.py RUNS CLEAR FLOOR… -- COMMAND…

FLOOR prints seconds of parsing, seconds of writing, CPU seconds of both, and records. Each pair is the floor, then
the command; CLEAR, a list of files with colons between, is taken away before the command: taking away a large file
takes as long as writing it on some disks, whoever does it.

Prints as name=value: of the floor the medians of p (seconds of parsing), f (seconds of both), fc (CPU seconds of both);
of the command the medians of s (seconds) and c (CPU seconds), and kb, the most memory; r and rc, the medians of the
pairs' ratios of seconds and of CPU seconds; n, the floor's records.
"""

import os
import statistics
import subprocess
import sys
import time


def timed(command):
    begun = time.monotonic()
    child = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(child.pid, 0)
    if status != 0:
        sys.exit(f"{command} ended with {status}")
    return time.monotonic() - begun, usage.ru_utime + usage.ru_stime, usage.ru_maxrss


def main():
    runs, clear, commands = int(sys.argv[1]), sys.argv[2].split(":"), sys.argv[3:]
    at = commands.index("--")
    floor, command = commands[:at], commands[at + 1 :]
    pairs, records = [], 0
    for _ in range(runs):
        told = subprocess.run(floor, stdout=subprocess.PIPE, check=True, text=True).stdout
        parse, write, cpu, records = (float(figure) for figure in told.split())
        for file in filter(os.path.exists, clear):
            os.remove(file)
        seconds, own, kb = timed(command)
        both = parse + write
        pairs.append((parse, both, cpu, seconds, own, seconds / both, own / cpu, kb))
    columns = list(zip(*pairs))
    p, f, fc, s, c, r, rc = (statistics.median(column) for column in columns[:7])
    print(f"p={p:.3f} f={f:.3f} fc={fc:.3f} s={s:.3f} c={c:.3f} r={r:.3f} rc={rc:.3f}", end=" ")
    print(f"kb={max(columns[7])} n={records:.0f}")


main()
