"""Which hand began a note, on a waveguide's strings that nothing was fitted on."""

from collections import Counter

from benchmarks import legato


def test_pulled_off_after_a_release_and_picked_across_strings() -> None:
    counts: Counter[str] = Counter()
    for seed in (83_100, 83_102):
        counts += legato.measured((seed, "alone"))[1]
    assert counts["after-release right"] >= 0.8 * counts["after-release all"]
    assert counts["across right"] >= 0.65 * counts["across all"]
    assert counts["picked right"] >= 0.85 * counts["picked all"]
