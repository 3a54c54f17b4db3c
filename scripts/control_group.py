#!/usr/bin/env python3
"""Runs jobs in a control group, which bounds the system's cache of files as well as the program, where one can be made.

Usage: control_group.py GRANUM FOLDER RUNS JOB=INPUTS…

FOLDER has JOB.granum and what it reads; INPUTS are the files of a job, with commas between. Each job runs in turn with all
memory, with half of its inputs' bytes in a group of these and 48 MB more, and in the same group with nothing said. Prints
the medians of seconds, the most that the group held, how many times the first took the others take, and whether all bytes of
outputs are the same; ends with 1 where they are not, or where the second takes more than three times the first.
"""

import hashlib
import os
import shutil
import statistics
import subprocess
import sys
import time
from pathlib import Path

MORE = 48_000_000


def place():
    """Where groups are made, and how their files are called: the bound, and the most that was held."""
    for line in Path("/proc/self/mountinfo").read_text().splitlines():
        before, after = line.split(" - ")
        folder, (kind, _, options) = Path(before.split()[4]), after.split()[:3]
        if kind == "cgroup" and "memory" in options.split(","):
            return folder, "memory.limit_in_bytes", "memory.max_usage_in_bytes"
        given = folder / "cgroup.subtree_control"
        if kind == "cgroup2" and given.exists() and "memory" in given.read_text().split():
            return folder, "memory.max", "memory.peak"
    return None


def run(granum, plan, memory, folder=None):
    """Seconds of a run whose process enters a group first."""
    enter = folder and (lambda: (folder / "cgroup.procs").write_text(str(os.getpid())))
    begun = time.monotonic()
    said = ["--memory", memory] if memory else []
    subprocess.run(
        [granum, "run", plan.name, "-q", *said],
        cwd=plan.parent, preexec_fn=enter, stdout=subprocess.DEVNULL, check=True,
    )
    return time.monotonic() - begun


def outputs(folder):
    """What stands in all outputs."""
    found = hashlib.sha256()
    for file in sorted(path for path in folder.rglob("*") if path.is_file()):
        with file.open("rb") as opened:
            while block := opened.read(1 << 20):
                found.update(block)
    return found.hexdigest()


def fresh(out):
    """The folder of outputs with nothing in it."""
    shutil.rmtree(out, ignore_errors=True)
    (out / "wider").mkdir(parents=True)


def job(granum, plan, half, runs, found):
    """Runs of one job in turn; whether all is as it should be."""
    folder, bound, most = found
    group = folder / f"granum-{os.getpid()}"
    group.mkdir()
    try:
        (group / bound).write_text(str(half + MORE))
        ways = [("all memory", "100%", None), ("half of the input", f"{half}B", group), ("nothing said", None, group)]
        seconds, seen = {name: [] for name, _, _ in ways}, set()
        for _ in range(runs):
            for name, memory, within in ways:
                fresh(plan.parent / "out")
                seconds[name].append(run(granum, plan, memory, within))
                seen.add(outputs(plan.parent / "out"))
        held = int((group / most).read_text()) / 1e6
    finally:
        group.rmdir()
    medians = {name: statistics.median(of) for name, of in seconds.items()}
    print(f"{plan.stem}: a group of {(half + MORE) / 1e6:.0f} MB, which held {held:.0f} MB at most")
    for name, median in medians.items():
        print(f"  {name:18} {median:8.2f} s {median / medians['all memory']:6.2f}")
    print(f"  bytes: {'the same' if len(seen) == 1 else 'OTHER'}", flush=True)
    return len(seen) == 1 and medians["half of the input"] <= 3 * medians["all memory"]


def main():
    granum, folder, runs = os.path.abspath(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3])
    found = place()
    if not found or not os.access(found[0], os.W_OK):
        print("no control group can be made here")
        return
    well = True
    for given in sys.argv[4:]:
        name, inputs = given.split("=")
        half = sum((folder / file).stat().st_size for file in inputs.split(",")) // 2
        well &= job(granum, folder / f"{name}.granum", half, runs, found)
    sys.exit(0 if well else 1)


main()
