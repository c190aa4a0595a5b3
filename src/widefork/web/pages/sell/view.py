"""The page of patterns as plain data: the list, and the questions of the one that is open."""

from dataclasses import dataclass

from widefork.core.finance.schedules import Setting, SettingKind
from widefork.core.patterns import PATTERNS, Pattern
from widefork.web.shared.context import View
from widefork.web.shared.settings import setting_text


@dataclass(frozen=True)
class Entry:
    """A pattern in the list."""

    label: str
    summary: str
    url: str
    is_open: bool


@dataclass(frozen=True)
class Question:
    """A question as its field; ``when`` names the choice it hangs on, as ``key=word|word``."""

    key: str
    label: str
    kind: str
    usual: str
    unit: str
    hint: str
    when: str
    is_required: bool
    choices: tuple[tuple[str, str], ...]
    columns: tuple["Question", ...] = ()


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
        _questions(opened, model.currency),
        tuple((d.name, d.label or d.name) for d in model.dimensions) if opened.spreads else (),
        view.address.url("drivers"),
        tuple((s.name, s.label) for s in model.sections if s.note in {note_of(one) for one in PATTERNS}),
        tuple(dict.fromkeys(line.label for line in view.snapshot.model.lines)),
    )


def note_of(pattern: Pattern) -> str:
    """Return the note of a section a pattern wrote, by which it is known again."""
    return f"from {pattern.label.lower()}"


def _questions(pattern: Pattern, currency: str) -> tuple[Question, ...]:
    return tuple(_question(question, currency) for question in pattern.questions)


def _question(question: Setting, currency: str) -> Question:
    unit = question.unit.replace("CUR", currency)
    usual = "" if question.default is None else setting_text(question, question.default, unit)
    if question.kind in (SettingKind.SERIES, SettingKind.AMOUNT) and question.default == 0:
        usual = ""
    when = f"{question.when[0]}={'|'.join(question.when[1])}" if question.when else ""
    return Question(
        question.key, question.label, question.kind.name.lower(), usual, unit if not unit.startswith("%") else "%",
        question.hint, when, question.is_required, question.choices,
        tuple(_question(column, currency) for column in question.columns),
    )  # fmt: skip
