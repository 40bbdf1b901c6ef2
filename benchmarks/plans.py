"""Which techniques a phrase is made of, and how fast it is played: together they hold every technique of the trade."""

from dataclasses import dataclass

from benchmarks import cells as c


@dataclass(frozen=True)
class Plan:
    """bpm: (slowest, fastest); cells: what the phrase is put together from; together: whether strings sound
    together."""

    name: str
    bpm: tuple[int, int]
    cells: tuple[c.Cell, ...]
    together: bool = False


PLANS = (
    Plan("held notes", (60, 76), (c.held, c.eighths, c.held, c.held, c.eighths, c.held)),
    Plan("bends of every size", (76, 92), (c.bend, c.eighths, c.slow_bend, c.quarter_bend, c.bend, c.sixteenths, c.bend)),
    Plan("bends one after another", (84, 100),
         (c.bend_release, c.pre_bend_release, c.bend_again, c.picked_at_the_top, c.eighths, c.muted_at_the_top,
          c.bend_release)),
    Plan("sixteenths", (100, 120), (c.sixteenths, c.picked_sixteenths, c.legato_run, c.held, c.quintuplets, c.bend)),
    Plan("sixteenth triplets", (132, 140),
         (c.sextuplets, c.held, c.legato_run, c.bend_release, c.sextuplets, c.picked_sixteenths, c.held)),
    Plan("taps and trills", (96, 120), (c.tapping, c.held, c.trill, c.tapping, c.held)),
    Plan("slides", (84, 104), (c.slide, c.grace_slide, c.slide_in, c.eighths, c.slide, c.slide_off, c.slide)),
    Plan("short and muted", (92, 116), (c.muted, c.rake, c.staccato, c.dead_notes, c.tremolo, c.held, c.muted)),
    Plan("harmonics and the bar", (66, 84),
         (c.natural_harmonic, c.bar_dip, c.pinch_harmonic, c.scoop, c.natural_harmonic, c.dive, c.swell)),
    Plan("a whole phrase", (80, 112),
         (c.eighths, c.bend, c.pre_bend_release, c.legato_run, c.held, c.quarter_bend, c.slide, c.bend_release)),
    Plan("a faster phrase", (112, 132),
         (c.sixteenths, c.picked_at_the_top, c.sextuplets, c.bend, c.eighths, c.staggered, c.held)),
    Plan("double stops", (72, 100),
         (c.double_stops, c.held, c.double_stops, c.triad, c.hammered_pair, c.double_stops), together=True),
    Plan("unison and oblique bends", (72, 96),
         (c.unison_bend, c.unison_bend, c.eighths, c.oblique_bend, c.double_stop_bend, c.oblique_bend), together=True),
    Plan("left to ring", (72, 92), (c.let_ring, c.double_stops, c.held, c.let_ring, c.unison_bend), together=True),
)  # fmt: skip
