"""The bench's section on what is thrown at the program: spoiled files, and random keys in the real window."""

import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from benchmarks import mutations, soak

SPOILED = 10_000
_MUTATIONS = "import json,dataclasses;from benchmarks.mutations import judged;" \
    "print(json.dumps([dataclasses.asdict(j) for j in judged({count})]))"  # fmt: skip
_SOAK = "import json,dataclasses;from benchmarks.soak import soak;" \
    "print(json.dumps(dataclasses.asdict(soak({count}, bars={bars}))))"  # fmt: skip


def section(*, spoiled: int = SPOILED) -> str:
    """Spoiled files, in a process whose memory is limited."""
    files = [mutations.Judged(**j) for j in _measured(_MUTATIONS, spoiled)]
    rows = "".join(
        f"| {j.kind} | {j.count} | {j.taken} | {j.count - j.taken - len(j.faults)} | {len(j.faults)} | {j.seconds:.0f} s |\n"
        for j in files
    )
    return (
        "## Hardiness\n\n"
        "Good files of each kind that is read are spoiled (bytes changed, cut, doubled; in JSON and XML also values and "
        f"elements swapped for absurd ones) and read with {mutations.MOST_MEMORY / 1e6:.0f} MB more memory and {mutations.LONGEST_S:g} seconds each "
        "(`python -m benchmarks.mutations`). Each must be taken or refused in one sentence.\n\n"
        "| kind | files | taken | refused | neither | in all |\n|---|---|---|---|---|---|\n" + rows
    )


def soaking(*, steps: int = soak.COUNT) -> str:
    """Random keys in the real window, two at a time, each in a process of its own."""
    which = (("the demo", 0), (f"a score of {8 * soak.LONG_BARS} notes", soak.LONG_BARS))
    with ThreadPoolExecutor(2) as pool:
        found = pool.map(lambda bars: soak.Soaked(**_measured(_SOAK, steps, bars=bars)), [bars for _, bars in which])
        soaked = dict(zip([what for what, _ in which], found, strict=True))
    return (
        "## Soak\n\n"
        "Random keys, commands and clicks over all rooms of the real window (`python -m benchmarks.soak`), memory since the "
        f"first {soak.SETTLED_AFTER} (most allowed {soak.MOST_GROWTH_MB:+.0f} MB):\n\n"
        + "".join(_soaked(what, s) for what, s in soaked.items())
    )


def _soaked(what: str, s: soak.Soaked) -> str:
    memory = ", ".join(f"{mb:.0f} MB after {step}" for step, mb in s.megabytes[:: max(1, len(s.megabytes) // 5)])
    return f"- {what}: {s.steps} steps in {s.seconds:.0f} s, {len(s.errors)} errors raised, {s.growth:+.0f} MB ({memory}).\n"


def _measured(script: str, count: int, **more: int) -> Any:
    done = subprocess.run(
        [sys.executable, "-X", "faulthandler", "-c", script.format(count=count, **more)], capture_output=True, text=True
    )  # fmt: skip
    if done.returncode:
        raise RuntimeError(f"a measuring process ended with {done.returncode}: {done.stderr[-4000:]}")
    return json.loads(done.stdout.splitlines()[-1])
