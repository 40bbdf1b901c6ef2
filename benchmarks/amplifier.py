"""The bench's section on other guitars, all their strings summed into one amplifier: on a sampled guitar and a string
model that no threshold saw (benchmarks/guitars.py)."""

import sys

from benchmarks import material
from benchmarks.guitars import OTHER_FONT
from benchmarks.listening import CONDITIONS, evaluate
from benchmarks.material import WIDE_DEVELOPMENT, WIDE_EVALUATION, cases
from benchmarks.scores import SURENESS, TECHNIQUES, Tally

FIGURES = (
    "contour within 50 cents", "note F1, one string at a time", "note F1, strings together", "bends found",
    "bends falsely found", "vibrato found", "attack right", "attack right, of those not picked", *SURENESS,
)  # fmt: skip


def tallies(sets: tuple[int, ...], conditions: tuple[str, ...] = CONDITIONS[:3]) -> dict[tuple[str, str], Tally]:
    """By condition, for phrases of one string at a time and of several, and for each amplifier."""
    out: dict[tuple[str, str], Tally] = {}
    played = [case for which in sets for case in cases(which)]
    for condition, found in evaluate(sets, conditions).items():
        for case, tally in zip(played, found, strict=True):
            for part in ("several strings" if case.plan.together else "one string", case.amp):
                out.setdefault((condition, part), Tally()).join(tally)
            out.setdefault((condition, "all"), Tally()).join(tally)
    return out


def section(sets: tuple[int, ...] = WIDE_EVALUATION) -> str:
    """The figures as a table."""
    head = "## Other guitars, one amplifier"
    if not material.available() or not OTHER_FONT.exists():
        return (
            f"{head}\n\nNot measured: fluidsynth, fluid-soundfont-gm and csound-soundfont are not all installed here.\n"
        )
    found = tallies(sets)
    conditions = list(dict.fromkeys(condition for condition, _ in found))
    lines = [
        head, "",
        f"{sum(len(cases(which)) for which in sets)} phrases as above on guitars that no threshold saw: another sampled one "
        "(the clean guitar of csound-soundfont) and a model of the string (benchmarks/guitars.py: stiffness, places of pick "
        "and pickup, pitch that glides, 0 to 12 ms and 0.5 to 4 dB before each pick). All strings go clean into one "
        "amplifier: clean, crunch, high gain; effects, seats, tunings and backings as above.", "",
        "| figure | " + " | ".join(c if c == "alone" else f"lead {c}" for c in conditions) + " |",
        "|---|" + "---|" * len(conditions),
    ]  # fmt: skip
    for figure in FIGURES:
        values = [found[condition, "all"].rows()[figure] for condition in conditions]
        lines.append(f"| {figure} | " + " | ".join(f"{v:.3f}" for v in values) + " |")
    for part in ("one string", "several strings"):
        for figure in ("contour within 50 cents", "bends found", SURENESS[0]):
            values = [found[condition, part].rows()[figure] for condition in conditions]
            lines.append(f"| {figure}, {part} | " + " | ".join(f"{v:.3f}" for v in values) + " |")
    lines += ["", "Techniques that the sound says: found, and falsely told in 100 notes.", "",
              "| technique | there | " + " | ".join(conditions) + " |", "|---|---|" + "---|" * len(conditions)]  # fmt: skip
    for name in TECHNIQUES:
        each = [found[condition, "all"].techniques()[name] for condition in conditions]
        lines.append(f"| {name} | {each[0][2]} | " + " | ".join(f"{f:.2f}, {false:.1f}" for f, false, _ in each) + " |")
    return "\n".join([*lines, ""])


def main() -> None:
    """Print it; with 'development', of the guitars that thresholds may be chosen on."""
    print(section(WIDE_DEVELOPMENT if "development" in sys.argv else WIDE_EVALUATION))


if __name__ == "__main__":
    main()
