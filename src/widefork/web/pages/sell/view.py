"""The page of patterns as plain data: the list, and the questions of the one that is open."""

from collections.abc import Iterator
from dataclasses import dataclass

from widefork.core.graph.model import Model
from widefork.core.patterns import PATTERNS, Pattern
from widefork.web.shared.context import View
from widefork.web.shared.settings import Question, question_of

MOST_BESIDE = 4
HEADINGS = {"Costs": "Add what you spend", "Reading": "Add what you read"}


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A pattern in the list."""

    label: str
    summary: str
    url: str
    is_open: bool


@dataclass(frozen=True, kw_only=True)
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
    first: dict[str, str]

    @property
    def wide(self) -> tuple[Question, ...]:
        """Lists of many columns, which take the whole width above all else."""
        return tuple(question for question in self.questions if len(question.columns) > MOST_BESIDE)

    @property
    def heading(self) -> str:
        """What the page is for, by what is open."""
        return HEADINGS.get(self.opened.group if self.opened else "", "Add what you sell")


def build(view: View, asked: str, first: dict[str, str]) -> SellPage:
    """Return the page with a pattern open: the one asked for, or the first.

    Parameters
    ----------
    first : what stands in the first row of a list already, such as something that was found absent.
    """
    model = view.snapshot.stored.model
    opened = PATTERNS[asked] if asked in PATTERNS.names else next(iter(PATTERNS))
    groups: dict[str, list[Entry]] = {}
    for one in PATTERNS:
        entry = Entry(
            label=one.label, summary=one.summary, url=view.address.url(pattern=one.name), is_open=one is opened
        )
        groups.setdefault(one.group, []).append(entry)
    return SellPage(
        groups=tuple((label, tuple(entries)) for label, entries in groups.items()),
        opened=opened,
        questions=tuple(question_of(question, model.currency) for question in opened.questions),
        dimensions=tuple((d.name, d.label or d.name) for d in model.dimensions) if opened.spreads else (),
        drivers_url=view.address.url("drivers"),
        written=tuple((s.name, s.label) for s in model.sections if s.note in {note_of(one) for one in PATTERNS}),
        lines=tuple(dict.fromkeys(_lines_to_read(view.snapshot.model))),
        first=first,
    )


def _lines_to_read(model: Model) -> Iterator[str]:
    """What an answer may read, as it is typed: lines by their label, and one member of those over one dimension."""
    for line in model.lines:
        yield line.label
        if len(line.dimensions) == 1:
            yield from (f"{line.label} at {member}" for d in model.dimensions_of(line) for member in d.members)


def note_of(pattern: Pattern) -> str:
    """Return the note of a section a pattern wrote, by which it is known again."""
    return f"from {pattern.label.lower()}"
