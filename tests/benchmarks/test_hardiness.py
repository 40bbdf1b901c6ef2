"""The bench's section on hardiness is made of what was measured."""

import pytest

from benchmarks import hardiness


@pytest.mark.slow
def test_the_section_says_what_was_thrown_and_what_became_of_it() -> None:
    text = hardiness.section(spoiled=5, steps=40)
    assert "| musicxml | 5 |" in text
    assert "40 steps" in text
    assert "0 errors raised" in text
