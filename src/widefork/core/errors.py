"""Every error the core raises on purpose. The text is built from fields, so that callers can use the fields."""

from collections.abc import Iterable, Sequence
from difflib import get_close_matches


class WideforkError(Exception):
    """Base of all errors the core raises on purpose."""


class InvalidModel(WideforkError, ValueError):
    """A model that contradicts itself: says what was expected and where.

    Parameters
    ----------
    sentence : str. What was expected, what came and what to do.
    place : str. Where in the model, as a path such as ``lines/kit_price/rule``; may be empty.
    """

    def __init__(self, sentence: str, place: str = "") -> None:
        self.sentence, self.place = sentence, place
        super().__init__(f"{place}: {sentence}" if place else sentence)


class InvalidValue(WideforkError, ValueError):
    """A single value that cannot be taken: text in a number, an empty cell, a life of 0 months."""

    def __init__(self, sentence: str) -> None:
        self.sentence = sentence
        super().__init__(sentence)


class UnknownName(WideforkError, LookupError):
    """A name nothing answers to, with the nearest known ones."""

    def __init__(self, kind: str, name: str, known: Iterable[str]) -> None:
        self.kind, self.name, self.known = kind, name, tuple(known)
        self.suggestions = tuple(get_close_matches(name, self.known, n=2, cutoff=0.6))
        super().__init__(self.sentence)

    @property
    def sentence(self) -> str:
        """What is unknown and what was probably meant."""
        if self.suggestions:
            return f"There is no {self.kind} “{self.name}”. Did you mean {' or '.join(self.suggestions)}?"
        if self.known and len(self.known) <= 12:
            return f"There is no {self.kind} “{self.name}”. Known: {', '.join(self.known)}."
        return f"There is no {self.kind} “{self.name}”. Check its spelling, or add it first."


class FormulaError(WideforkError, ValueError):
    """A formula that cannot be read or does not make sense, with the place in its text.

    Parameters
    ----------
    sentence : str. What was expected and what to do.
    text : str. The formula as written.
    line, column : int, from 1. Where in the text.
    """

    def __init__(self, sentence: str, text: str, line: int = 1, column: int = 1) -> None:
        self.sentence, self.text, self.line, self.column = sentence, text, line, column
        super().__init__(f"{sentence}\n{self.caret}")

    @property
    def caret(self) -> str:
        """The line of the text with a caret under the place."""
        lines = self.text.splitlines() or [""]
        shown = lines[min(self.line, len(lines)) - 1]
        return f"{shown}\n{' ' * (self.column - 1)}^"


class LoopError(WideforkError, ValueError):
    """Lines that need each other in the same month, as the path from a line back to itself.

    With ``looks_ahead`` the first of them reads later months of the second, so that no month can come first.
    """

    def __init__(self, path: Sequence[str], looks_ahead: bool = False) -> None:
        self.path, self.looks_ahead = tuple(path), looks_ahead
        super().__init__(self.sentence)

    @property
    def sentence(self) -> str:
        """The loop in words, line by line."""
        steps = ", which needs ".join(self.path[1:])
        if self.looks_ahead:
            return (
                f"{self.path[0]} looks ahead to {steps}, so that no month can be computed first. "
                f"Let {self.path[0]} read something that does not depend on it."
            )
        return (
            f"{self.path[0]} needs {steps}, all in the same month. "
            f"Break the loop where one of them may use the month before: before(…)."
        )


class ChangeRefused(WideforkError, ValueError):
    """A change on something that must not be changed directly, naming what to change instead."""

    def __init__(self, line: str, sentence: str) -> None:
        self.line, self.sentence = line, sentence
        super().__init__(sentence)
