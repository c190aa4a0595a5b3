"""Roots as strips: the figure on top, and under it, level by level, what the chosen part is made of."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.explain import (
    CHANGED_DIRECTLY,
    Contribution,
    Explanation,
    Kind,
    Part,
    Point,
    explain,
    explain_by_formula,
    explain_difference,
)
from widefork.core.errors import InvalidValue, UnknownName, WideforkError
from widefork.core.graph.model import Model
from widefork.core.lines import Line, OverMembers, OverTime
from widefork.web.pages.roots.steps import Step, range_words, url_of, with_members
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.wording import no_total, total_words

STRIP_WIDTH = 1000.0
BY_FORMULA = "formula"
SMALLEST = 62.0
"""A segment narrower than this holds no label; such ones are gathered at the right end."""
LONGEST_SENTENCE = 170

THAN = {
    "before": "than the period before",
    "year": "than a year before",
    "actual": "than the last actual month",
}
AGAINST = "case:"
"""Begins what a difference against another case is asked by."""


@dataclass(frozen=True, kw_only=True)
class Segment:
    """A part of a strip.

    Parameters
    ----------
    x, width : of STRIP_WIDTH. is_less : it takes away, and is stippled. is_factor : it multiplies, and is not to size.
    links : what it can be opened into, as (label, text, address). before : its worth before the sketch.
    """

    label: str
    text: str
    x: float
    width: float
    is_less: bool
    is_factor: bool
    is_chosen: bool
    is_assumption: bool
    links: tuple[tuple[str, str, str], ...]
    before: str = ""
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class Strip:
    """One level. ``smaller`` are parts too small for a label, gathered, and ``smaller_share`` what they are together.

    ``close_url`` shows the level above as the last one; empty on top.
    """

    title: str
    where: str
    text: str
    before: str
    sentence: str
    formula: str
    segments: tuple[Segment, ...]
    smaller: tuple[tuple[str, str, str], ...]
    smaller_share: str
    close_url: str
    changes: int
    chosen_x: float | None


def can_split(line: Line, step: Step) -> bool:
    """Return whether a range of months can be split by the line's formula: the months add up, and it has one."""
    adds_up = line.rollup.over_time is OverTime.SUM and (
        bool(step.members) or not line.dimensions or line.rollup.over_members is OverMembers.SUM
    )
    return step.first != step.last and line.formula is not None and adds_up


def build_strips(view: View, steps: list[Step], than: str, splits: str = "") -> tuple[Strip, ...]:
    """Return the strips of a way down, the figure first. ``splits`` says how the last one, a range, is split.

    Raises
    ------
    UnknownName, InvalidValue: a step that is not there, or a difference that cannot be taken.
    """
    return tuple(_Level(view, steps, place, than, splits).strip() for place in range(len(steps)))


class _Level:
    def __init__(self, view: View, steps: list[Step], place: int, than: str, splits: str) -> None:
        self.view, self.steps, self.place, self.than, self.splits = view, steps, place, than, splits
        self.model: Model = view.snapshot.model
        self.step = steps[place]
        self.line = self.model.line(self.step.line)
        if self.step.members and len(self.step.members) != len(self.line.dimensions):
            known = [m for d in self.model.dimensions_of(self.line) for m in d]
            raise UnknownName("member", "/".join(self.step.members), known)
        self.chosen = steps[place + 1] if place + 1 < len(steps) else None

    def strip(self) -> Strip:
        found = self.explained(self.view)
        before = self.earlier()
        if self.than:
            return self.difference(found)
        entries = list(self.entries(found))
        earlier = {entry.label: entry for entry in self.entries(before)} if before is not None else {}
        segments, smaller, share, chosen_x = self.laid_out(entries, earlier, found)
        was = self.amount(before.value) if before is not None else ""
        now = self.amount(found.value)
        return Strip(
            title=with_members(self.line.label, self.step.members),
            where=range_words(self.step.first, self.step.last),
            text=self.with_unit(now),
            before=was if was != now else "",
            sentence=self.sentence(found),
            formula=found.formula,
            segments=segments,
            smaller=smaller,
            smaller_share=share,
            close_url=url_of(self.view.address, self.steps[: self.place], self.than) if self.place else "",
            changes=len(found.changes),
            chosen_x=chosen_x,
        )

    @property
    def by_formula(self) -> bool:
        """Whether this level, a range of months, is split by its formula rather than into months."""
        return self.splits == BY_FORMULA and self.place == len(self.steps) - 1

    def explained(self, view: View, before: bool = False) -> Explanation:
        snapshot = view.before if before and view.before is not None else view.snapshot
        case = view.address.case
        changes = snapshot.model.changes_of(case)
        step = self.step
        place = snapshot.place(case)
        asked = (snapshot.results, place, changes, step.line, step.members, step.first, step.last, self.show)
        return explain_by_formula(*asked) if self.by_formula and can_split(self.line, step) else explain(*asked)

    def earlier(self) -> Explanation | None:
        """The same without the sketch, while one is on this case."""
        if self.view.before is None or self.step.line not in self.view.before.model.line_by_name:
            return None
        if self.view.address.case not in self.view.before.case_names:
            return None
        try:
            return self.explained(self.view, before=True)
        except WideforkError:
            return None

    # words

    def show(self, part: str, value: float) -> str:
        unit = self.model.line_by_name[part].unit if part in self.model.line_by_name else ""
        return _with_unit(formats.amount(value, unit), unit)

    def amount(self, value: float) -> str:
        return formats.amount(value, self.line.unit)

    def with_unit(self, text: str) -> str:
        return _with_unit(text, self.line.unit)

    def sentence(self, found: Explanation) -> str:
        """The value as one sentence, with the numbers it is made of."""
        what = f"{with_members(self.line.label, self.step.members)}, {range_words(self.step.first, self.step.last)}"
        value = self.with_unit(self.amount(found.value))
        if found.sentence and np.isnan(found.value):
            return f"{what}: {found.sentence}"
        why = no_total(self.line, self.step.members, self.step.first, self.step.last, self.view.snapshot.model.timeline)
        if why and np.isnan(found.value):
            return f"{what}: {why}"
        match found.kind:
            case Kind.FORMULA if self.step.first != self.step.last:
                return f"{what}: {value}, by what its months are made of"
            case Kind.FORMULA if found.filled and len(found.filled) <= LONGEST_SENTENCE:
                said = found.filled.replace(" * ", " × ").replace(" / ", " ÷ ")
                direct = self.changed_directly(found)
                if direct:
                    return f"{what}: {said}{direct} = {value}"
                return f"{what}: {said} = {value}" if said != value else f"{what}: {value}"
            case Kind.MONTHS if len(found.parts) == 1:
                return f"{what}: as in {found.parts[0].first.label} = {value}"
            case Kind.MONTHS:
                how = total_words(self.line.rollup.over_time, self.line, self.model, f"{len(found.parts)} months")
                return f"{what}: {how} = {value}"
            case Kind.MEMBERS:
                of = f"{len(found.parts)} of {' and '.join(self.line.dimensions)}"
                return f"{what}: {total_words(self.line.rollup.over_members, self.line, self.model, of)} = {value}"
            case Kind.ASSUMPTION:
                return f"{what}: {value}, assumed"
            case Kind.ACTUAL:
                return f"{what}: {value}, what really happened"
            case Kind.RATIO if len(found.parts) >= 2:
                top, below = found.parts[:2]
                return f"{what}: {self.show(top.line, top.value)} ÷ {self.show(below.line, below.value)} = {value}"
        return f"{what}: {value}"

    def changed_directly(self, found: Explanation) -> str:
        """What changes of the line itself add to its formula, and why: “ = 144, +160 backlog is worked off”."""
        rest = sum(term.amount for term in found.contributions if term.words == CHANGED_DIRECTLY)
        if not rest:
            return ""
        notes = list(dict.fromkeys(change.note for change in found.changes if change.note))
        why = ", ".join(notes) or "changed directly"
        return f" = {self.amount(found.value - rest)}, {formats.signed(rest, self.line.unit)} {why}"

    def label_of(self, part: Part) -> str:
        line = self.model.line(part.line)
        if part.line == self.step.line and part.members != self.step.members:
            return ", ".join(part.members)
        label = with_members(line.label, part.members)
        return (
            label
            if part.first == self.step.first or self.step.first != self.step.last
            else (f"{label}, {part.first.label}")
        )

    # parts

    def entries(self, found: Explanation) -> "Iterator[_Entry]":
        """What the value is made of: terms that add up, or factors that do not."""
        if found.kind is Kind.FORMULA and (len(found.contributions) > 1 or (found.contributions and not found.parts)):
            for term in found.contributions:
                yield self.term(term)
            return
        adds_up = found.kind is Kind.MEMBERS and self.line.rollup.over_members.value == "sum"
        adds_up = adds_up or (found.kind is Kind.MONTHS and self.line.rollup.over_time.value == "sum")
        for part in found.parts:
            label = part.first.label if found.kind is Kind.MONTHS else self.label_of(part)
            yield _Entry(
                label=label,
                amount=part.value,
                text=self.show(part.line, part.value),
                parts=(part,),
                is_factor=not adds_up,
                note=part.role,
            )

    def term(self, term: Contribution) -> "_Entry":
        label = self.label_of(term.parts[0]) if len(term.parts) == 1 else self.spoken(term)
        sign = "+" if term.amount > 0 else ""
        return _Entry(
            label=label,
            amount=term.amount,
            text=sign + self.amount(term.amount),
            parts=term.parts,
            is_factor=False,
            note=term.note,
        )

    def spoken(self, term: Contribution) -> str:
        """A term by the names people use, joined as factors where it is a product of a few."""
        if not term.parts:
            return term.words
        labels = list(dict.fromkeys(self.model.line(part.line).label for part in term.parts))
        if len(labels) > 3:
            return term.words
        # Over a range each month has its own product: what the parts come to, multiplied, is not what is shown.
        each = ", month by month" if len(labels) > 1 and self.step.first != self.step.last else ""
        return " × ".join(labels) + each

    def links(self, entry: "_Entry") -> tuple[tuple[str, str, str], ...]:
        timeline = self.model.timeline
        found = []
        for part in entry.parts:
            if timeline.start <= part.first and part.last <= timeline.end:
                step = Step(line=part.line, members=part.members, first=part.first, last=part.last)
                url = url_of(self.view.address, [*self.steps[: self.place + 1], step], self.than)
                found.append((self.label_of(part), self.show(part.line, part.value), url))
        return tuple(found)

    def is_chosen(self, entry: "_Entry") -> bool:
        return self.chosen is not None and any(
            (part.line, part.members, part.first, part.last)
            == (self.chosen.line, self.chosen.members, self.chosen.first, self.chosen.last)
            for part in entry.parts
        )

    def laid_out(
        self, entries: "list[_Entry]", earlier: "dict[str, _Entry]", found: Explanation
    ) -> tuple[tuple[Segment, ...], tuple[tuple[str, str, str], ...], str, float | None]:
        """Segments by size from the left, the small ones gathered; factors in the order they are written."""
        sizes = [abs(entry.amount) if np.isfinite(entry.amount) else 0.0 for entry in entries]
        whole = sum(sizes)
        is_sized = bool(entries) and not entries[0].is_factor and whole > 0
        order = list(range(len(entries)))
        if is_sized and found.kind is not Kind.MONTHS:
            order.sort(key=lambda place: -sizes[place])
        even = STRIP_WIDTH / max(1, len(entries))
        widths = {place: STRIP_WIDTH * sizes[place] / whole if is_sized else even for place in order}
        big = [p for p in order if widths[p] >= SMALLEST or (self.is_chosen(entries[p]) and not is_sized)]
        big = big or order[: int(STRIP_WIDTH // SMALLEST)]
        small = [place for place in order if place not in big]
        room = STRIP_WIDTH - (110.0 if small else 0.0)
        total = sum(widths[place] for place in big)
        segments, x, chosen_x = [], 0.0, None
        for place in big:
            entry, width = entries[place], widths[place] * room / total
            is_chosen = self.is_chosen(entry)
            chosen_x = x + width / 2 if is_chosen else chosen_x
            was = earlier.get(entry.label)
            moved = was is not None and was.text != entry.text
            segments.append(
                Segment(
                    label=entry.label,
                    text=entry.text,
                    x=round(x, 1),
                    width=round(width, 1),
                    is_less=entry.amount < 0 and not entry.is_factor,
                    is_factor=entry.is_factor and len(entries) > 1,
                    is_chosen=is_chosen,
                    is_assumption=len(entry.parts) == 1 and self.model.line(entry.parts[0].line).is_assumption,
                    links=self.links(entry),
                    before=was.text if was is not None and moved else "",
                    note=entry.note,
                )
            )
            x += width
        if chosen_x is None and any(self.is_chosen(entries[place]) for place in small):
            chosen_x = STRIP_WIDTH - 55.0
        rest = tuple(
            (entries[p].label, entries[p].text, next((url for _, _, url in self.links(entries[p])), "")) for p in small
        )
        share = _share(sum(sizes[p] for p in small) / whole) if is_sized and small else ""
        return tuple(segments), rest, share, chosen_x

    # differences

    def points(self) -> tuple[Point, Point]:
        """Both ends of the difference asked for."""
        snapshot, step = self.view.snapshot, self.step
        place = snapshot.place(self.view.address.case)
        now = Point(place, step.first, step.last)
        length = step.last.ordinal - step.first.ordinal + 1
        timeline = self.model.timeline
        match self.than:
            case against if against.startswith(AGAINST):
                other = snapshot.place(against.removeprefix(AGAINST))
                return Point(other, step.first, step.last), now
            case "year":
                first, last = step.first.plus(-12), step.last.plus(-12)
            case "actual":
                last_actual = timeline.last_actual if timeline.actual_count else None
                if last_actual is None or length > 1:
                    raise InvalidValue("Choose one month, in a model with actuals, to compare it with the last actual.")
                first = last = last_actual
            case _:
                first, last = step.first.plus(-length), step.last.plus(-length)
        if first < timeline.start:
            raise InvalidValue(f"The model begins in {timeline.start.label}; there is nothing before to compare with.")
        return Point(place, first, last), now

    def difference(self, found: Explanation) -> Strip:
        before, after = self.points()
        told = explain_difference(self.view.snapshot.results, self.step.line, self.step.members, before, after)
        entries = []
        for share in told.shares:
            if not share.amount:
                continue
            parts: tuple[Part, ...] = ()
            if share.line and share.line in self.model.line_by_name:
                other = self.model.line(share.line)
                members = self.step.members if other.dimensions == self.line.dimensions else ()
                parts = (Part(share.line, members, after.first, after.last, share.amount),)
            label = self.model.line(share.line).label if parts else share.words
            entries.append(
                _Entry(
                    label=label,
                    amount=share.amount,
                    text=formats.signed(share.amount, self.line.unit),
                    parts=parts,
                    is_factor=False,
                    note="",
                )
            )
        segments, smaller, smaller_share, chosen_x = self.laid_out(entries, {}, found)
        then, words = range_words(before.first, before.last), ("then", "now")
        if self.than.startswith(AGAINST):
            names = [self.model.case(name).label for name in (self.than.removeprefix(AGAINST), self.view.address.case)]
            then, words = f"{names[0]}, {then}", (f"in {names[0]}", f"in {names[1]}")
        now, was = self.amount(told.after), self.amount(told.before)
        difference = formats.signed(told.after - told.before, self.line.unit)
        return Strip(
            title=with_members(self.line.label, self.step.members),
            where=f"{range_words(self.step.first, self.step.last)} against {then}",
            text=difference,
            before="",
            sentence=f"{self.with_unit(was)} {words[0]}, {self.with_unit(now)} {words[1]}: {difference}",
            formula=found.formula,
            segments=segments,
            smaller=smaller,
            smaller_share=smaller_share,
            close_url=url_of(self.view.address, self.steps[: self.place], self.than) if self.place else "",
            changes=0,
            chosen_x=chosen_x,
        )


def _share(share: float) -> str:
    """A part of the whole; never all of it or none where others are there too."""
    percent = min(max(share * 100, 0.0), 100.0)
    if percent > 99 or percent < 1:
        return "over 99 %" if percent > 99 else "under 1 %"
    return f"{formats.plain_number(percent, 0)} %"


@dataclass(frozen=True, kw_only=True)
class _Entry:
    label: str
    amount: float
    text: str
    parts: tuple[Part, ...]
    is_factor: bool
    note: str


def _with_unit(text: str, unit: str) -> str:
    return text if unit.startswith("%") or not unit else f"{text} {unit}"
