"""`make bench`: measures accuracy and speed and writes docs/MEASUREMENTS.md."""

import datetime
import os
import platform
import statistics
from collections.abc import Sequence
from typing import Any

import numpy as np

from benchmarks import held_out, references, speed
from benchmarks.truth import (
    DEMO_DRY,
    DEMO_MIX,
    ROOT,
    Truth,
    contour_accuracy,
    note_scores,
    places_right,
    technique_scores,
)
from notcher.audio.decode import Audio, load
from notcher.listen.listener import Heard, listen

Row = Sequence[str]


def main() -> None:
    """Measure everything and write the page."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    truth = Truth.read()
    dry, mix = load(DEMO_DRY), load(DEMO_MIX)
    parts = [_head()]
    print("demo ...")
    heard_dry, heard_mix = listen(dry), listen(mix)
    parts.append(_demo(truth, dry, mix, heard_dry, heard_mix))
    parts.append(_techniques("On the demo", {"dry lead": [(truth, heard_dry)], "mix": [(truth, heard_mix)]}))
    if held_out.available():
        print("held-out phrases ...")
        parts.append(_held_out())
    else:
        parts.append("## Phrases held out\n\nNot measured: fluidsynth and fluid-soundfont-gm are not installed here.\n")
    print("speed ...")
    parts.append(_speed())
    parts.append(_reading())
    (ROOT / "docs/MEASUREMENTS.md").write_text("\n".join(parts))
    print((ROOT / "docs/MEASUREMENTS.md").read_text())


def _table(head: Row, rows: Sequence[Row]) -> str:
    lines = ["| " + " | ".join(head) + " |", "|" + "---|" * len(head)]
    return "\n".join(lines + ["| " + " | ".join(r) + " |" for r in rows]) + "\n"


def _head() -> str:
    when = datetime.date.today().isoformat()
    return (
        "# What was measured\n\n"
        f"Written by `make bench` on {when}: {os.cpu_count()} cores ({platform.machine()}), Python "
        f"{platform.python_version()}, no sound card, no graphics card. Accuracy is judged with mir_eval (Raffel and others "
        "2014): a note is right with its onset within 50 ms and its fretted pitch within 50 cents, ends ignored; a frame of "
        "the contour is right within 50 (or 15) cents of a note that sounds there, over all frames in which one sounds.\n"
    )


def _demo(truth: Truth, dry: Audio, mix: Audio, heard_dry: Heard, heard_mix: Heard) -> str:
    rows = []
    for name, audio, heard in (("dry lead", dry, heard_dry), ("mix", mix, heard_mix)):
        rows.append(_row(name, "Notcher", truth, heard.trace.cents, heard.notes))
        mono = audio.samples.mean(axis=0, dtype=np.float32)
        cents = references.autocorrelation(mono)
        plain = references.plain_notes(cents, truth.offset_cents)
        rows.append(_row(name, "autocorrelation (librosa.pyin)", truth, cents, plain))
        own = references.network_notes(mono, truth.offset_cents)
        rows.append(_row(name, "network alone (swift-f0)", truth, references.network(mono), own))
    offset = ", ".join(
        f"{h.offset.cents - truth.offset_cents:+.1f} cents ({n})" for n, h in (("dry", heard_dry), ("mix", heard_mix))
    )
    return (
        "## The demo, and two reference libraries on it\n\n"
        "The demo is development material: thresholds were chosen while looking at it. The references are used as their "
        "libraries give them, on the channels mixed to mono, and are told the true offset. The network's package cuts notes "
        "itself; the autocorrelation tracker's contour is cut in the plainest way (60 ms or more on one semitone).\n\n"
        + _table(("material", "tracker", "within 50 c", "within 15 c", "precision", "recall", "note F1"), rows)
        + f"\nString and fret as they were played, of the notes found: {places_right(truth, heard_dry.notes):.2f} (dry), "
        f"{places_right(truth, heard_mix.notes):.2f} (mix); other places of the same pitch are not wrong, only another choice.\n"
        f"Tuning offset against the truth: {offset}. The lead of the mix was taken from the {heard_mix.lead}, as the "
        "program proposed.\n"
    )


def _row(material: str, tracker: str, truth: Truth, cents: Any, notes: Any) -> Row:
    near, fine = (contour_accuracy(truth, cents, tolerance=t) for t in (50, 15))
    return (material, tracker, f"{near:.3f}", f"{fine:.3f}", *(f"{v:.3f}" for v in note_scores(truth, notes)))


def _techniques(title: str, groups: dict[str, list[tuple[Truth, Heard]]]) -> str:
    columns = {name: [technique_scores(t, h.notes) for t, h in pairs] for name, pairs in groups.items()}
    keys = list(next(iter(columns.values()))[0])
    rows = [
        (key, *(_mean([scores[key] for scores in found]) for found in columns.values())) for key in keys
    ]  # fmt: skip
    return f"### {title}: bends, vibrato, attacks\n\n" + _table(("of the notes that were found", *columns), rows)


def _mean(values: list[float]) -> str:
    known = [v for v in values if not np.isnan(v)]
    return f"{statistics.fmean(known):.2f}" if known else "none"


def _held_out() -> str:
    found = [(c, listen(c.alone), listen(c.mixed)) for c in held_out.cases()]
    rows = []
    sums: dict[str, list[tuple[float, float, float]]] = {"alone": [], "over the band": []}
    for case, alone, mixed in found:
        cells = []
        for name, heard in (("alone", alone), ("over the band", mixed)):
            near, fine = (contour_accuracy(case.truth, heard.trace.cents, tolerance=t) for t in (50, 15))
            f1 = note_scores(case.truth, heard.notes)[2]
            sums[name].append((near, fine, f1))
            cells += [f"{near:.3f}", f"{fine:.3f}", f"{f1:.3f}"]
        rows.append((case.name, *cells))
    mean = [f"{v:.3f}" for name in sums for v in np.mean(sums[name], axis=0)]
    rows.append(("**mean**", *mean))
    plain = []
    for name, pick in (("alone", 0), ("over the band", 1)):
        scores = []
        for case, *_ in found:
            audio = (case.alone, case.mixed)[pick]
            mono = audio.samples.mean(axis=0, dtype=np.float32)
            cents, notes = references.network(mono), references.network_notes(mono, case.truth.offset_cents)
            scores.append((contour_accuracy(case.truth, cents, tolerance=50), note_scores(case.truth, notes)[2]))
        near, f1 = np.mean(scores, axis=0)
        plain.append(f"{name} {near:.3f} of frames and note F1 {f1:.3f}")
    return (
        "## Phrases held out\n\n"
        f"{held_out.COUNT} phrases of 30 notes made by chance from a fixed seed (`benchmarks/held_out.py`), one string at a "
        "time, at 72 to 126 bpm, with clean, overdriven and distorted programs, 35 cents flat to 35 sharp; no threshold was chosen on them, but their attack figures (then 0.73 alone, 0.76 over the band) were seen before the attack was reworked on another seed, so that row is not fully unseen. Over the band, the lead is 6 dB louder than bass, drums, organ and rhythm guitar together.\n\n"
        + _table(
            ("phrase", "alone: 50 c", "15 c", "note F1", "band: 50 c", "15 c", "note F1"), rows
        )
        + f"\nThe network alone, with its own cut into notes, on the same phrases: {'; '.join(plain)}.\n\n"
        + _techniques(
            "On the phrases held out",
            {"alone": [(c.truth, a) for c, a, _ in found], "over the band": [(c.truth, m) for c, _, m in found]},
        )
    )  # fmt: skip


def _speed() -> str:
    start, minutes, pace = speed.start_up(), speed.three_minutes(), speed.pace_change()
    frames = speed.strand_frames()
    rows: list[Row] = [
        ("`make demo`, from the command to the demo painted (Xvfb, 1280 x 800), first time after set-up",
         f"{start['first']:.2f} s", "–"),
        ("the same, again (median of 4)", f"{start['again']:.2f} s", "under 2 s"),
        (f"`notcher transcribe`, stereo mix of {minutes['length']:.0f} s", f"{minutes['seconds']:.1f} s", "under 45 s"),
        ("its memory at most", f"{minutes['megabytes']:.0f} MB", "under 1500 MB"),
        ("change of pace to changed sound, median of 12 (blocks of 10 ms in real time; a device's own buffer comes on top)",
         f"{1000 * pace['median']:.0f} ms", "–"),
        ("the same, worst of 12", f"{1000 * pace['worst']:.0f} ms", "–"),
        ("the same, first time after the start", f"{1000 * pace['first']:.0f} ms", "–"),
    ]  # fmt: skip
    for name, f in frames.items():
        rows.append(
            (f"strand view, 2000 notes, scrolling, {name}", f"{f['median']:.1f} ms, 95 % within {f['p95']:.1f} ms",
             "16.7 ms (60 Hz)")
        )  # fmt: skip
    return "## Speed\n\n" + _table(("what", "measured", "aim"), rows)


def _reading() -> str:
    return (
        "## How to read it\n\n"
        "- The demo's figures flatter: it is the material the listening was built on. The phrases held out are the fairer "
        "ones, and they too come from a sampled guitar, not from a player.\n"
        "- Two notes at once (double stops, unison and oblique bends) are heard as one voice in this version; their second "
        "notes count as missed in the demo's recall.\n"
        "- What is most often wrong on the phrases held out is the attack: a note picked on another string right after the "
        "last one, with hardly a dip between them, is taken for a hammer-on or pull-off. Vibrato of 15 cents and vibrato in "
        "notes of half a second is often not marked.\n"
        "- The sampled guitar itself sits about 1.4 cents flat of the pitch it is asked for, which is in the offset's error.\n"
    )


if __name__ == "__main__":
    main()
