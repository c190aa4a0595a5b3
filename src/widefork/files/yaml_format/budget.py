"""What a file may ask for before it is read: a budget of letters, nodes, depth and entries, checked as it streams by.

A model file is written out plainly: nothing in it stands for something elsewhere, and no number is beyond all numbers.
"""

import math
import re

from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError
from ruamel.yaml.events import (
    AliasEvent,
    CollectionEndEvent,
    CollectionStartEvent,
    Event,
    MappingStartEvent,
    ScalarEvent,
)

from widefork.core.errors import InvalidModel

MOST_LETTERS = 6_000_000
MOST_NODES = 400_000
MOST_ENTRIES = 6_000
"""In one list or mapping; members of a dimension, lines of a section, amounts."""
DEEPEST = 24
LONGEST_NUMBER = 40
_NO_NUMBER = re.compile(r"[-+]?\.(inf|nan)", re.IGNORECASE)
_DIGITS = re.compile(r"[-+]?(0[xo][\da-fA-F_]+|[\d_]+(\.\d*)?)")
_EXPONENT = re.compile(r"[-+]?\d[\d.]*[eE][-+]?\d{1,9}")


def refuse_beyond_budget(text: str) -> None:
    """Refuse a text that asks for more than any model needs, before anything is built from it.

    Raises
    ------
    InvalidModel: with the line, where there is one.
    """
    if len(text) > MOST_LETTERS:
        raise InvalidModel(f"The file has {len(text):,} letters; up to {MOST_LETTERS:,} are read.", "file")
    try:
        _Counter().count(text)
    except YAMLError as fault:
        mark = getattr(fault, "problem_mark", None)
        what = getattr(fault, "problem", None) or str(fault).splitlines()[0]
        place = f"line {mark.line + 1}" if mark is not None else "file"
        raise InvalidModel(f"This is not readable as YAML: {what}.", place) from None
    except RecursionError:
        raise InvalidModel(f"The file is nested more than {DEEPEST} levels deep.", "file") from None


class _Counter:
    def __init__(self) -> None:
        self.nodes = 0
        self.entries: list[int] = []

    def count(self, text: str) -> None:
        for event in YAML(typ="safe", pure=True).parse(text):
            if isinstance(event, CollectionEndEvent):
                self.entries.pop()
                continue
            if isinstance(event, AliasEvent):
                raise _fault(f"“*{event.anchor}” stands for something elsewhere; write it out here.", event)
            if isinstance(event, ScalarEvent):
                self.enter(event)
                _refuse_scalar(event)
            elif isinstance(event, CollectionStartEvent):
                self.enter(event)
                # keys count like values, so a mapping has twice as many
                self.entries.append(-MOST_ENTRIES if isinstance(event, MappingStartEvent) else 0)
                if len(self.entries) > DEEPEST:
                    raise _fault(f"Nested more than {DEEPEST} levels deep.", event)

    def enter(self, event: Event) -> None:
        self.nodes += 1
        if self.nodes > MOST_NODES:
            raise _fault(f"The file says more than {MOST_NODES:,} things; split the model.", event)
        if self.entries:
            self.entries[-1] += 1
            if self.entries[-1] > MOST_ENTRIES:
                raise _fault(f"More than {MOST_ENTRIES:,} entries in one list.", event)


def _refuse_scalar(event: ScalarEvent) -> None:
    value = str(event.value)
    if event.style is not None:  # quoted: a text, whatever it looks like
        return
    if value == "<<":
        raise _fault("“<<” takes in something elsewhere; write it out here.", event)
    if _NO_NUMBER.fullmatch(value):
        raise _fault(f"{value} is no number. Write a number, or leave the entry out.", event)
    if _EXPONENT.fullmatch(value) and math.isinf(float(value)):
        raise _fault(f"{value} is beyond all numbers.", event)
    if len(value) > LONGEST_NUMBER and _DIGITS.fullmatch(value):
        raise _fault(f"A number of {len(value):,} digits; up to {LONGEST_NUMBER} are read.", event)


def _fault(sentence: str, event: Event) -> InvalidModel:
    line = event.start_mark.line + 1 if event.start_mark is not None else 1
    return InvalidModel(sentence, f"line {line}")
