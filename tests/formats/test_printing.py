"""One table of what may be asked for: every reader of it has every row, and the same means the same everywhere."""

import argparse
import inspect
from typing import get_type_hints

import pytest

from notcher import api
from notcher.cli.looks import given, printing
from notcher.formats.printing import OF_A_LOOK, OPTIONS, WITHOUT, Printing, look_of, whole, with_options
from notcher.formats.sheet.look import USUAL
from notcher.score.project import Project
from notcher.teach.layers import Layer


def parsed(*words: str) -> dict[str, object]:
    parser = argparse.ArgumentParser()
    printing(parser)
    return given(parser.parse_args(words))


def test_scripts_and_the_command_line_have_every_row() -> None:
    assert set(get_type_hints(Printing)) == set(OPTIONS) == set(parsed())
    assert set(OF_A_LOOK) < set(OPTIONS)
    assert "options" in inspect.signature(api.render).parameters


def test_what_is_not_said_is_as_usual_everywhere() -> None:
    assert parsed() == whole({})
    assert look_of({}) == USUAL
    assert with_options(parsed()) == with_options({})


def test_the_command_line_says_what_scripts_say() -> None:
    words = ["--staff", "--rhythm", "counts", "--paper", "letter", "--run-on", "--size", "130", "--layer", "bends",
             "--series", "Lesson 3", "--hands", "--pace", "50", "--offset", "-1.5", "--dialect", "2"]  # fmt: skip
    said = with_options(parsed(*words))
    assert said == with_options(
        {"staff": True, "rhythm": "counts", "paper": "letter", "run_on": True, "size": 130, "layer": "bends",
         "series": "Lesson 3", "hands": True, "pace": 50.0, "offset": -1.5, "dialect": 1}
    )  # fmt: skip
    assert (said.layer, said.look.size, said.said.series) == (Layer.BENDS, 1.3, "Lesson 3")


def test_an_option_that_there_is_not_is_refused(project: Project) -> None:
    with pytest.raises(TypeError, match="no option 'colour'; there are showing, layer"):
        api.render(project, "text", colour="red")  # type: ignore[call-arg]
    with pytest.raises(TypeError, match="no option 'colour'"):
        api.render(project, "text", beside=WITHOUT, colour="red")  # type: ignore[call-arg]
