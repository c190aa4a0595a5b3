"""The page of patterns as plain data: the list, and the questions of the one that is open."""

from dataclasses import dataclass

from widefork.core.patterns import PATTERNS, Pattern
from widefork.web.shared.context import View
from widefork.web.shared.settings import Question, question_of


@dataclass(frozen=True)
class Entry:
    """A pattern in the list."""

    label: str
    summary: str
    url: str
    is_open: bool


@dataclass(frozen=True)
class SellPage:
    """The whole page.

    Parameters
    ----------
    dimensions : what the open pattern's lines may be spread over. lines : labels of those an answer may read.
    """

    groups: tuple[tuple[str, tuple[Entry, ...]], ...]
    opened: Pattern | None
    questions: tuple[Question, ...]
    dimensions: tuple[tuple[str, str], ...]
    drivers_url: str
    written: tuple[tuple[str, str], ...]
    lines: tuple[str, ...]


def build(view: View, asked: str) -> SellPage:
    """Return the page with a pattern open: the one asked for, or the first."""
    model = view.snapshot.stored.model
    opened = PATTERNS[asked] if asked in PATTERNS.names else next(iter(PATTERNS))
    groups: dict[str, list[Entry]] = {}
    for one in PATTERNS:
        entry = Entry(one.label, one.summary, view.address.url(pattern=one.name), one is opened)
        groups.setdefault(one.group, []).append(entry)
    return SellPage(
        tuple((label, tuple(entries)) for label, entries in groups.items()),
        opened,
        tuple(question_of(question, model.currency) for question in opened.questions),
        tuple((d.name, d.label or d.name) for d in model.dimensions) if opened.spreads else (),
        view.address.url("drivers"),
        tuple((s.name, s.label) for s in model.sections if s.note in {note_of(one) for one in PATTERNS}),
        tuple(dict.fromkeys(line.label for line in view.snapshot.model.lines)),
    )


def note_of(pattern: Pattern) -> str:
    """Return the note of a section a pattern wrote, by which it is known again."""
    return f"from {pattern.label.lower()}"
