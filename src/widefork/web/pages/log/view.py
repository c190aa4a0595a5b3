"""The log as plain data: edits that pass the filters, each with the cell it was about."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.axes import Grain, Month
from widefork.core.errors import InvalidValue
from widefork.store.log import LogEntry, Touched
from widefork.web.shared.address import ACTUALS_SHOWN, COLUMNS_SHOWN
from widefork.web.shared.context import View, store

ENTRIES_READ, ENTRIES_SHOWN = 5000, 200


@dataclass(frozen=True, kw_only=True)
class Entry:
    """An edit; ``url`` leads to what it was about."""

    revision: int
    person: str
    when: str
    sentence: str
    url: str


@dataclass(frozen=True, kw_only=True)
class LogPage:
    """The page: filters as they stand, what they can be, and the edits they let through.

    ``more`` counts edits that pass and are not shown; ``fault`` says what is wrong with the month asked for.
    """

    entries: tuple[Entry, ...]
    more: int
    people: tuple[str, ...]
    cases: tuple[tuple[str, str], ...]
    lines: tuple[tuple[str, str], ...]
    who: str
    in_case: str
    line: str
    month: str
    fault: str
    is_filtered: bool


def build(view: View, args: Mapping[str, str]) -> LogPage:
    """Return the edits that pass the filters an address asks for."""
    model = view.snapshot.model
    entries = store().log(view.address.model_id, ENTRIES_READ)
    touched = store().touched(view.address.model_id, entries)
    who, in_case, asked = (args.get(key, "").strip() for key in ("who", "in", "line"))
    line = next((one.name for one in model.lines if asked.casefold() in (one.name, one.label.casefold())), asked)
    month, fault = _month(args.get("month", "").strip())
    passed = [
        (entry, about)
        for entry, about in zip(entries, touched, strict=True)
        if (not who or entry.person == who) and _meets(about, in_case, line, month)
    ]
    shown = passed[:ENTRIES_SHOWN]
    return LogPage(
        entries=tuple(_entry(view, entry, about) for entry, about in shown),
        more=len(passed) - len(shown),
        people=tuple(dict.fromkeys(entry.person for entry in entries)),
        cases=tuple((case.name, case.label) for case in model.cases),
        lines=tuple((one.name, one.label) for one in model.lines if not one.is_generated),
        who=who,
        in_case=in_case,
        line=asked,
        month=args.get("month", "").strip(),
        fault=fault,
        is_filtered=bool(who or in_case or asked or args.get("month", "").strip()),
    )


def _month(text: str) -> tuple[Month | None, str]:
    if not text:
        return None, ""
    try:
        return Month.parse(text), ""
    except InvalidValue as fault:
        return None, fault.sentence


def _meets(about: tuple[Touched, ...], case: str, line: str, month: Month | None) -> bool:
    """Whether something an edit was about is in the case, on the line and in the month asked for."""
    if not case and not line and month is None:
        return True
    return any(
        (not case or one.case == case)
        and (not line or one.line == line)
        and (month is None or (bool(one.line) and _covers(one, month)))
        for one in about
    )


def _covers(one: Touched, month: Month) -> bool:
    return (one.first is None or one.first <= month) and (one.last is None or month <= one.last)


def _entry(view: View, entry: LogEntry, about: tuple[Touched, ...]) -> Entry:
    return Entry(
        revision=entry.revision,
        person=entry.person,
        when=entry.made_at[:16].replace("T", " "),
        sentence=entry.sentence,
        url=next((url for one in about if (url := _url(view, one))), ""),
    )


def _url(view: View, one: Touched) -> str:
    """The sheet at the row and the months an edit was about."""
    model = view.snapshot.model
    line = model.line_by_name.get(one.line)
    if line is None:
        return ""
    case = one.case or view.address.case
    first = view.address.first
    if one.first is not None and not view.address.first <= one.first <= view.address.last:
        first = max(model.timeline.start, min(one.first.plus(-ACTUALS_SHOWN), model.timeline.end))
    last = min(model.timeline.end, first.plus(COLUMNS_SHOWN - 1))
    opened = line.name if one.members else ""
    where = view.address.url(
        "drivers", case=case, first=first, last=last, grain=Grain.MONTH, open=opened, focus=line.name
    )
    at = "-".join((line.name, *one.members)).replace(" ", "_")
    return f"{where}#row-{at}" if one.members else f"{where}#row-{line.name}"
