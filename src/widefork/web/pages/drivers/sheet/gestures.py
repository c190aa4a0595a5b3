"""What was done on the sheet, as one edit: typed, pasted, filled, cleared, adjusted, or put back."""

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain, Month
from widefork.core.changes import ByHand, Change, Operation, changed_months, changes_to
from widefork.core.errors import ChangeRefused, InvalidValue
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey
from widefork.store.edits import CellsBack
from widefork.web.shared import formats
from widefork.web.shared.blocks import decimal_mark, read_block, read_pasted
from widefork.web.shared.context import View
from widefork.web.shared.totals import scaled_to, stands_for_members

Values = NDArray[np.float64]
MOST_ROWS = 2000
MOST_NAMED = 3
AS_COPIED, AS_SHOWN = (1e-9, 1e-12), (1e-6, 0.006)
"""How near a pasted figure is to the one that stands there, to be the same: relative and absolute."""


class Kind(StrEnum):
    """What a gesture does."""

    TYPE = "type"
    PASTE = "paste"
    FILL_RIGHT = "fill_right"
    FILL_DOWN = "fill_down"
    CLEAR = "clear"
    BACK = "back"
    ADJUST = "adjust"


MOST_MONEY, MOST_TIMES = 1e12, 1000
"""Amounts beyond these are asked back."""


class PartlyRefused(InvalidValue):
    """Some of the cells cannot take what was meant for them; the rest could."""

    offers = (("skip", "Leave those out"),)


class Unusual(InvalidValue):
    """An amount so large that it is asked back: perhaps a digit too many."""

    offers = (("sure", "It is meant"),)


@dataclass(frozen=True, kw_only=True)
class Gesture:
    """A gesture on a block of cells.

    Parameters
    ----------
    rows : (line, members), in the order of the sheet. months : in order. For a paste both start at its corner.
    value : what was typed, pasted or asked for. goes_on : what was typed into one month holds from there on.
    mark : the decimal mark of a paste; empty to find out. skips : leave out cells that cannot be changed.
    is_sure : an amount that was asked back is meant.
    """

    kind: Kind
    rows: tuple[tuple[str, MemberKey], ...]
    months: tuple[Month, ...]
    value: str = ""
    goes_on: bool = False
    mark: str = ""
    is_sure: bool = False
    skips: bool = False


@dataclass(kw_only=True)
class Planned:
    """What a gesture comes to: changes of plan months, corrected actual months, cells that go back."""

    changes: list[Change] = field(default_factory=list)
    actuals: dict[tuple[str, MemberKey], dict[Month, float]] = field(default_factory=dict)
    backs: list[CellsBack] = field(default_factory=list)
    sentence: str = ""


def read_gesture(text: str) -> Gesture:
    """Return the gesture a page sent; raise InvalidValue for anything else."""
    try:
        given = json.loads(text)
        rows = tuple((str(line), tuple(part for part in str(at).split("/") if part)) for line, at in given["rows"])
        months = tuple(Month.parse(str(month)) for month in given["months"])
        kind = Kind(given["kind"])
        gesture = Gesture(
            kind=kind,
            rows=rows,
            months=months,
            value=str(given.get("value", "")),
            goes_on=given.get("reach") == "on",
            mark=str(given.get("mark", "")),
            skips=bool(given.get("skip")),
            is_sure=bool(given.get("sure")),
        )
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
        raise InvalidValue("The page sent something that is no edit. Reload it and try again.") from None
    if not rows or not months or len(rows) > MOST_ROWS:
        raise InvalidValue(f"Choose at least one cell, and at most {MOST_ROWS:,} rows.")
    return gesture


def plan_gesture(view: View, case: str, gesture: Gesture, is_unlocked: bool) -> Planned:
    """Return what a gesture comes to in a case.

    Raises
    ------
    PartlyRefused: some cells cannot be changed; asked again with ``skips``, they are left out.
    Unusual: an amount far beyond what the line ever held; asked again with ``is_sure``, it is taken.
    InvalidValue: nothing would change, or what was typed cannot be read; says what to do.
    UnknownName: a line or member that is not there.
    """
    return _Planner(view, case, gesture, is_unlocked).plan()


class _Planner:
    def __init__(self, view: View, case: str, gesture: Gesture, is_unlocked: bool) -> None:
        self.view, self.gesture, self.is_unlocked = view, gesture, is_unlocked
        self.model = view.snapshot.model
        self.timeline = self.model.timeline
        self.case = self.model.case(case)
        self.place = view.snapshot.place(case)
        self.done = Planned()
        self.refused: list[str] = []

    def plan(self) -> Planned:
        for month in self.gesture.months:
            self.timeline.index(month)
        match self.gesture.kind:
            case Kind.TYPE:
                self.type()
            case Kind.PASTE:
                self.paste()
            case Kind.FILL_RIGHT | Kind.FILL_DOWN:
                self.fill()
            case Kind.ADJUST:
                self.adjust()
            case Kind.CLEAR if self.case.parent is None and self.view.sketch is None:
                self.gesture = replace(self.gesture, value="0")
                self.type()
            case _:
                self.back()
        if self.refused and not self.gesture.skips:
            raise PartlyRefused(self.refusal())
        if not (self.done.changes or self.done.actuals or self.done.backs):
            raise InvalidValue(self.refusal() if self.refused else "That changes nothing: the cells say so already.")
        if not self.gesture.is_sure:
            self.ask_back()
        self.done.sentence = self.sentence()
        return self.done

    def ask_back(self) -> None:
        """Refuse amounts beyond a billion thousands of the currency, or a thousand times what the row ever held."""
        for change in self.done.changes:
            line = self.model.line(change.line)
            members = tuple(member for _, member in change.members)
            held = float(np.nanmax(np.abs(self.values(line, members)), initial=0.0))
            amounts = change.course.amounts if isinstance(change.course, ByHand) else (change.amount,)
            most = max(abs(amount) for amount in amounts if amount is not None)
            if change.operation is Operation.SCALE:
                most *= held
            is_huge = line.unit == self.model.currency and most > MOST_MONEY
            if is_huge or (held and most > MOST_TIMES * held):
                what = "a trillion" if is_huge else f"{MOST_TIMES:,} times what the line ever held"
                raise Unusual(
                    f"{label_of(line, members)}: {formats.amount(most, line.unit)} is more than {what}. "
                    "Look at its digits; nothing was changed."
                )

    # the cells

    def rows(self, among: tuple[tuple[str, MemberKey], ...] | None = None) -> Iterator[tuple[Line, MemberKey]]:
        """The rows that can be changed; the others are noted."""
        for name, members in self.gesture.rows if among is None else among:
            line = self.model.line(name)
            if len(members) not in (0, len(line.dimensions)):
                raise InvalidValue(f"{line.label} is spread over {' and '.join(line.dimensions)}; name one of each.")
            for dimension, member in zip(self.model.dimensions_of(line), members, strict=bool(members)):
                dimension.index(member)
            why = self.why_not(line)
            if why:
                self.refused.append(f"{label_of(line, members)}: {why}")
            else:
                yield line, members

    def why_not(self, line: Line) -> str:
        if not line.is_assumption and self.case.parent is None:
            return "calculated; change its formula, or the assumptions behind it"
        try:
            self.view.snapshot.plan.check_changeable(line.name)
        except ChangeRefused as fault:
            return fault.sentence
        return ""

    def values(self, line: Line, members: MemberKey) -> Values:
        """The months of a row as they stand, shape (months,)."""
        months = self.timeline.periods(Grain.MONTH)
        return roll_up(self.view.snapshot.results, line.name, months, members)[:, self.place]

    def put(self, line: Line, members: MemberKey, wanted: dict[Month, float]) -> None:
        """Ask for values of single months."""
        if not wanted and self.gesture.kind is Kind.PASTE:
            return
        if stands_for_members(line, members, self.model):
            self.put_total(line, wanted)
            return
        now = self.values(line, members)
        target = now.copy()
        for month, value in wanted.items():
            target[self.timeline.index(month)] = value
        history = {m: v for m, v in wanted.items() if self.timeline.is_actual(m) and v != now[self.timeline.index(m)]}
        if history:
            self.correct(line, members, history)
        self.done.changes += changes_to(line.name, at_of(line, members), now, target, self.timeline)

    def put_total(self, line: Line, wanted: dict[Month, float]) -> None:
        """Ask for a total of single months."""
        try:
            self.done.changes += scaled_to(self.view.snapshot, self.case.name, line, wanted)
        except InvalidValue as fault:
            self.refused.append(fault.sentence)

    def correct(self, line: Line, members: MemberKey, history: dict[Month, float]) -> None:
        """Ask for other actual months, where they are unlocked."""
        if not self.is_unlocked:
            self.refused.append(
                f"{label_of(line, members)}: actual months are history and stay as they are. Choose a month from "
                f"{self.timeline.first_plan.label} on, or unlock them above the sheet"
            )
        elif line.is_generated or not line.is_assumption or self.view.sketch is not None:
            self.refused.append(f"{label_of(line, members)}: its actual months cannot be changed here")
        else:
            self.done.actuals.setdefault((line.name, members), {}).update(history)

    # the gestures

    def type(self) -> None:
        for line, members in self.rows():
            typed = formats.read_typed(self.gesture.value, line.unit)
            self.operate(line, members, typed.operation, typed.amount)

    def operate(self, line: Line, members: MemberKey, operation: Operation, amount: float) -> None:
        """Ask for one operation on a row's months."""
        if operation is Operation.SET and stands_for_members(line, members, self.model):
            goes_on = self.gesture.goes_on and len(self.gesture.months) == 1
            later = [month for month in self.timeline.months if month > self.gesture.months[0]] if goes_on else []
            self.put_total(line, dict.fromkeys((*self.gesture.months, *later), amount))
            return
        first, last = self.gesture.months[0], self.gesture.months[-1]
        now = self.values(line, members)
        if operation is Operation.SCALE and not now[self.timeline.span(first, last)].any():
            raise InvalidValue(
                f"{label_of(line, members)} is 0 in these months, so a percentage changes nothing. Type a number to "
                "set it, or + and an amount to add."
            )
        past = [month for month in self.gesture.months if self.timeline.is_actual(month)]
        change = Change(line.name, operation, amount, at_of(line, members), first, last)
        if past:
            anywhere = replace(self.timeline, last_actual=None)
            after = changed_months(now[:, None], replace(change, members=()), anywhere, line.is_flow)[:, 0]
            self.correct(line, members, {month: float(after[self.timeline.index(month)]) for month in past})
        if last >= self.timeline.first_plan:
            goes_on = self.gesture.goes_on and first == last
            begins = max(first, self.timeline.first_plan)
            self.done.changes.append(replace(change, first=begins, last=None if goes_on else last))

    def paste(self) -> None:
        block = read_block(self.gesture.value)
        mark = self.gesture.mark if self.gesture.mark in (".", ",") else decimal_mark(block)
        rows, first = self.gesture.rows, self.timeline.index(self.gesture.months[0])
        width, height = len(block[0]), len(block)
        tall, wide = _tiles(len(rows), height), _tiles(len(self.gesture.months), width)
        if height * tall > len(rows):
            raise InvalidValue(
                f"The block has {height} rows, and from here down there are {len(rows)}. Paste higher up."
            )
        if first + width * wide > self.timeline.month_count:
            left = self.timeline.month_count - first
            raise InvalidValue(
                f"The block has {width} months, and from {self.gesture.months[0].label} on there are {left}. "
                "Paste further left, or make the model longer in Frame."
            )
        for place, (line, members) in enumerate(self.rows_of_block(rows[: height * tall])):
            cells = block[place % height] * wide
            wanted = {}
            for column, cell in enumerate(cells):
                try:
                    value = read_pasted(cell, line.unit, mark)
                except InvalidValue as fault:
                    month = self.timeline.months[first + column].label
                    self.refused.append(f"{label_of(line, members)}, {month}: {fault.sentence}")
                    continue
                if value is not None:
                    wanted[self.timeline.months[first + column]] = value
            why = self.why_not(line)
            if why and self.others(line, members, wanted, AS_SHOWN):
                self.refused.append(f"{label_of(line, members)}: {why}")
            elif not why:
                self.put(line, members, self.others(line, members, wanted, AS_COPIED))

    def rows_of_block(self, rows: tuple[tuple[str, MemberKey], ...]) -> Iterator[tuple[Line, MemberKey]]:
        for name, members in rows:
            yield self.model.line(name), members

    def others(
        self, line: Line, members: MemberKey, wanted: dict[Month, float], near: tuple[float, float]
    ) -> dict[Month, float]:
        """What of a paste is not there already; what was copied, with its totals, may so be pasted back."""
        now = self.values(line, members)
        relative, absolute = near
        return {
            month: value
            for month, value in wanted.items()
            if not np.isclose(now[self.timeline.index(month)], value, rtol=relative, atol=absolute)
        }

    def fill(self) -> None:
        months = self.gesture.months
        if self.gesture.kind is Kind.FILL_RIGHT:
            for line, members in self.rows():
                value = float(self.values(line, members)[self.timeline.index(months[0])])
                self.put(line, members, dict.fromkeys(months[1:], value))
            return
        source_line, source_members = self.gesture.rows[0]
        source = self.values(self.model.line(source_line), source_members)
        for line, members in self.rows(self.gesture.rows[1:]):
            self.put(line, members, {month: float(source[self.timeline.index(month)]) for month in months})

    def adjust(self) -> None:
        said = " ".join(self.gesture.value.split())
        total = re.fullmatch(r"(.+?) (?:in )?(?:total|all)", said)
        if total is not None:
            self.adjust_total(total[1])
            return
        words = re.sub(r"^set to |^= ?", "", re.sub(r" (each|per month)$", "", said))
        for line, members in self.rows():
            typed = formats.read_typed(words, line.unit)
            self.operate(line, members, typed.operation, typed.amount)

    def adjust_total(self, words: str) -> None:
        """Spread an amount over the chosen cells in proportion to what stands there."""
        rows = list(self.rows())
        levels = [line.label for line, _ in rows if not line.is_flow]
        if levels:
            raise InvalidValue(
                f"{levels[0]} does not add up over months, so it has no total. Say “+5 %” or “set to 50”."
            )
        units = {line.unit for line, _ in rows}
        if len(units) > 1:
            raise InvalidValue(f"These lines are in {' and '.join(sorted(units))}, so they have no common total.")
        first = max(self.gesture.months[0], self.timeline.first_plan)
        span = self.timeline.span(first, self.gesture.months[-1])
        whole = sum(float(self.values(line, members)[span].sum()) for line, members in rows)
        typed = formats.read_typed(words, next(iter(units), ""))
        if not whole:
            raise InvalidValue(
                "These cells are all 0, so there is no proportion to spread a total by. Say “set to 50”, or “+50 each”."
            )
        factor = {
            Operation.SET: typed.amount / whole,
            Operation.ADD: 1 + typed.amount / whole,
            Operation.SCALE: typed.amount,
        }[typed.operation]
        for line, members in rows:
            self.operate(line, members, Operation.SCALE, factor)

    def back(self) -> None:
        first, last = self.gesture.months[0], self.gesture.months[-1]
        if self.view.sketch is None and self.case.parent is None:
            raise InvalidValue(
                f"{self.case.label} is the root: there is no case above it to go back to. Ctrl+Z undoes."
            )
        for line, members in self.rows():
            if self.view.sketch is not None:
                self.put(line, members, self.without_sketch(line, members))
            else:
                self.done.backs.append(CellsBack(line.name, members, first, last))

    def without_sketch(self, line: Line, members: MemberKey) -> dict[Month, float]:
        below = self.view.before or self.view.snapshot
        months = self.timeline.periods(Grain.MONTH)
        kept = roll_up(below.results, line.name, months, members)[:, below.place(self.case.name)]
        plan = [month for month in self.gesture.months if not self.timeline.is_actual(month)]
        return {month: float(kept[self.timeline.index(month)]) for month in plan}

    # the words

    def refusal(self) -> str:
        shown = "; ".join(dict.fromkeys(self.refused[:MOST_NAMED]))
        more = f"; and {len(self.refused) - MOST_NAMED} more" if len(self.refused) > MOST_NAMED else ""
        return f"{shown}{more}."

    def sentence(self) -> str:
        """The edit for the log."""
        touched = [(c.line, tuple(m for _, m in c.members)) for c in self.done.changes]
        touched += [*self.done.actuals, *((b.line, b.members) for b in self.done.backs)]
        rows = list(dict.fromkeys(touched))
        line = self.model.line(rows[0][0])
        where = label_of(line, rows[0][1]) + (f" and {len(rows) - 1} more" if len(rows) > 1 else "")
        first, last = self.gesture.months[0], self.gesture.months[-1]
        if self.gesture.kind is Kind.PASTE:
            first = min((c.first or first for c in self.done.changes), default=first)
            last = max((c.last or last for c in self.done.changes), default=last)
        when = f"in {first.label}" if first == last else f"{first.label} to {last.label}"
        what = self.what(line, rows[0][1])
        if self.gesture.goes_on and first == last and self.gesture.kind is Kind.TYPE:
            when = f"from {first.label}"
        return f"{where}: {what} {when} in {self.case.label}"

    def what(self, line: Line, members: MemberKey) -> str:
        match self.gesture.kind:
            case Kind.PASTE:
                return "pasted"
            case Kind.FILL_RIGHT | Kind.FILL_DOWN:
                return "filled"
            case Kind.CLEAR | Kind.BACK if self.done.backs or self.view.sketch is not None:
                return "back to what it was before this case" if self.view.sketch is None else "not sketched any more"
            case Kind.ADJUST:
                return " ".join(self.gesture.value.split())
        typed = formats.read_typed(self.gesture.value, line.unit)
        before = self.values(line, members)[self.timeline.index(self.gesture.months[0])]
        match typed.operation:
            case Operation.SET:
                return f"{formats.amount(before, line.unit)} to {formats.exact(typed.amount, line.unit)}"
            case Operation.ADD:
                what = formats.exact_difference(typed.amount, line.unit)
                after = before + typed.amount
            case _:
                what, after = f"× {typed.amount:.6g}", before * typed.amount
        then = formats.exact(float(after), line.unit) if np.isfinite(after) else ""
        return f"{what}, {formats.amount(before, line.unit)} to {then}" if then else what


def _tiles(chosen: int, size: int) -> int:
    """How often a block fits into the cells chosen; once where it does not fit evenly."""
    return chosen // size if chosen % size == 0 else 1


def label_of(line: Line, members: MemberKey) -> str:
    """Return a row's name."""
    return f"{line.label}, {', '.join(members)}" if members else line.label


def at_of(line: Line, members: MemberKey) -> tuple[tuple[str, str], ...]:
    """Return a member key as a change names it."""
    return tuple(zip(line.dimensions, members, strict=False))
