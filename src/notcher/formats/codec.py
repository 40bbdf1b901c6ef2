"""Values of score/ as plain JSON values and back, made from how they are declared (score/declared.py).

Reading is strict: a number is no text, whole numbers are whole, and every value's own checks hold. What does not fit
raises KeyError, ValueError, TypeError or ScoreError.
"""

import functools
from dataclasses import fields, is_dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Annotated, Any, TypeVar, get_args, get_origin, get_type_hints

from cattrs import Converter
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn, override

from notcher.formats.limits import whole
from notcher.score.declared import Declared
from notcher.score.measured import Measured, SecondString, Weighed
from notcher.score.note import Note
from notcher.score.spelling import Tone
from notcher.score.unit import Unit, unit_named
from notcher.wording import tr

T = TypeVar("T")


def to_plain(value: Any) -> Any:
    """A value of score/ as dictionaries, lists, texts, numbers and None."""
    return converter().unstructure(value)


def from_plain(data: Any, kind: type[T]) -> T:
    """The value of a kind that to_plain made. Raises KeyError, ValueError, TypeError or ScoreError."""
    return converter().structure(data, kind)


@functools.cache
def declarations(kind: type) -> dict[str, tuple[Any, Declared]]:
    """Each field of a dataclass with its type and what is declared of it."""
    hints = get_type_hints(kind, include_extras=True)
    return {f.name: split(hints[f.name]) for f in fields(kind)}


def split(hint: Any) -> tuple[Any, Declared]:
    """A type and what its annotation declares."""
    if get_origin(hint) is Annotated:
        inner, *said = get_args(hint)
        return inner, next((s for s in said if isinstance(s, Declared)), Declared())
    return hint, Declared()


@functools.cache
def converter() -> Converter:
    """Of every value in score/."""
    made = Converter(detailed_validation=False, unstruct_collection_overrides={tuple: list, frozenset: sorted})
    for kind, read in ((int, _whole), (float, _number), (bool, _truth), (str, _text)):
        made.register_structure_hook(kind, read)
    # A name is a text as well: without these, it would stay one.
    made.register_structure_hook(StrEnum, lambda value, kind: kind(_text(value, str)))
    made.register_unstructure_hook(StrEnum, lambda name: str(name.value))
    made.register_structure_hook(Fraction, lambda text, _: _beats(text))
    made.register_unstructure_hook(Fraction, lambda beats: f"{beats.numerator}/{beats.denominator}")
    made.register_structure_hook(Tone, lambda name, _: Tone.named(name))
    made.register_unstructure_hook(Tone, lambda tone: tone.plain())
    made.register_structure_hook(Unit, lambda name, _: unit_named(name))
    made.register_unstructure_hook(Unit, lambda unit: unit.name)
    made.register_unstructure_hook_func(_is_pair, lambda pair: list(pair))
    made.register_structure_hook_factory(_is_value, lambda kind: make_dict_structure_fn(kind, made, **_names(kind)))
    made.register_unstructure_hook_factory(_is_value, lambda kind: make_dict_unstructure_fn(kind, made, **_names(kind)))
    return made


def _is_value(kind: Any) -> bool:
    return isinstance(kind, type) and is_dataclass(kind) and kind not in (Tone, Unit)


def _is_pair(kind: Any) -> bool:
    return get_origin(kind) is tuple and ... not in get_args(kind)


def _names(kind: type) -> dict[str, Any]:
    """How fields are written otherwise than as they are: under another name, or by hand."""
    out = {name: override(rename=said.name) for name, (_, said) in declarations(kind).items() if said.name}
    if kind is Note:
        out["evidence"] = override(struct_hook=lambda d, _: _evidence(d), unstruct_hook=_evidence_to_plain)
    return out


def _number(value: Any, _: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise TypeError(tr("{value!r} is no number", value=value))
    return float(value)


def _whole(value: Any, _: Any) -> int:
    """JSON knows no whole numbers of its own: 3.0 is one too."""
    if isinstance(value, bool) or not isinstance(value, (int, float)) or value != int(value):
        raise ValueError(tr("{value!r} is no whole number", value=value))
    return int(value)


def _truth(value: Any, _: Any) -> bool:
    if not isinstance(value, bool):
        raise TypeError(tr("{value!r} is neither true nor false", value=value))
    return value


def _text(value: Any, _: Any) -> str:
    if not isinstance(value, str):
        raise TypeError(tr("{value!r} is no text", value=value))
    return value


def _beats(text: Any) -> Fraction:
    """A part of a beat as "3/4", which says thirds as they are."""
    over, _, under = _text(text, str).partition("/")
    if whole(under or "1") == 0:
        raise ValueError(tr("'{text}' is no part of a beat", text=text))
    return Fraction(whole(over), whole(under or "1"))


def evidence_names() -> dict[str, tuple[Any, Declared]]:
    """What may be kept of how a note was found, by its name in the file: a second string's parts stand beside it."""
    found = {said.name or name: (hint, said) for name, (hint, said) in declarations(Measured).items()}
    return found | declarations(SecondString)


def _evidence_to_plain(m: Measured | None) -> dict[str, Any]:
    """By name, numbers all; of what has no value by itself, what is not there is not said."""
    if m is None:
        return {}
    out: dict[str, Any] = {}
    for name, (_, said) in declarations(Measured).items():
        value = getattr(m, name)
        if isinstance(value, SecondString):
            out |= {said.name: 1.0} | to_plain(value)
        elif isinstance(value, bool):
            out |= {name: 1.0} if value else {}
        elif isinstance(value, tuple):
            out |= {name: [[w.what, w.value, w.share] for w in value]} if value else {}
        elif value is not None:
            out[name] = value
    return out


def _evidence(d: Any) -> Measured | None:
    if not d.keys():
        return None
    found: dict[str, Any] = {}
    for name, (_, said) in declarations(Measured).items():
        value = d.get(said.name or name)
        if value is None:
            continue
        usual = getattr(Measured(), name)
        if said.name:
            parts = {part: d.get(part, 0.0) for part in declarations(SecondString)}
            found[name] = from_plain(parts, SecondString) if _number(value, float) else None
        elif isinstance(usual, tuple):
            found[name] = tuple(
                Weighed(_text(what, str), _number(number, float), _number(share, float))
                for what, number, share in value
            )
        else:
            found[name] = bool(value) if isinstance(usual, bool) else _number(value, float)
    return Measured(**found)
