"""The bench's section on what is thrown at the program: spoiled files, and random keys in the real window."""

import json
import subprocess
import sys
from typing import Any

from benchmarks import mutations, soak

SPOILED = 10_000
_MUTATIONS = "import json,dataclasses;from benchmarks.mutations import judged;" \
    "print(json.dumps([dataclasses.asdict(j) for j in judged({count})]))"  # fmt: skip
_SOAK = "import json,dataclasses;from benchmarks.soak import soak;print(json.dumps(dataclasses.asdict(soak({count}))))"


def section(*, spoiled: int = SPOILED, steps: int = soak.COUNT) -> str:
    """Both measured, each in a process of its own: one limits its memory, the other starts the window."""
    files = [mutations.Judged(**j) for j in _measured(_MUTATIONS, spoiled)]
    soaked = soak.Soaked(**_measured(_SOAK, steps))
    rows = "".join(
        f"| {j.kind} | {j.count} | {j.taken} | {j.count - j.taken - len(j.faults)} | {len(j.faults)} | {j.seconds:.0f} s |\n"
        for j in files
    )
    memory = ", ".join(
        f"{mb:.0f} MB after {step}" for step, mb in soaked.megabytes[:: max(1, len(soaked.megabytes) // 5)]
    )
    return (
        "## Hardiness\n\n"
        "Good files of each kind that is read are spoiled (bytes changed, cut, doubled; in JSON and XML also values and "
        f"elements swapped for absurd ones) and read with {mutations.MOST_MEMORY / 1e6:.0f} MB more memory and {mutations.LONGEST_S:g} seconds each "
        "(`python -m benchmarks.mutations`). Each must be taken or refused in one sentence.\n\n"
        "| kind | files | taken | refused | neither | in all |\n|---|---|---|---|---|---|\n" + rows + "\n"
        f"Random keys, commands and clicks over all rooms of the real window with the demo (`python -m benchmarks.soak`): "
        f"{soaked.steps} steps in {soaked.seconds:.0f} s, {len(soaked.errors)} errors raised, memory {soaked.growth:+.0f} MB "
        f"since the first {soak.SETTLED_AFTER} ({memory}; most allowed {soak.MOST_GROWTH_MB:+.0f} MB).\n"
    )


def _measured(script: str, count: int) -> Any:
    done = subprocess.run(
        [sys.executable, "-c", script.format(count=count)], check=True, capture_output=True, text=True
    )  # fmt: skip
    return json.loads(done.stdout.splitlines()[-1])
