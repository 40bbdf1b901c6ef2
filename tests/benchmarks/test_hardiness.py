"""The bench's sections on hardiness are made of what was measured."""

import pytest

from benchmarks import hardiness


@pytest.mark.slow
def test_the_section_says_what_was_thrown_and_what_became_of_it() -> None:
    assert "| musicxml | 5 |" in hardiness.section(spoiled=5)


@pytest.mark.slow
def test_the_soak_says_what_was_raised_and_what_memory_did() -> None:
    text = hardiness.soaking(steps=40)
    assert text.count("40 steps") == 2
    assert text.count("0 errors raised") == 2
    assert "704 notes" in text
