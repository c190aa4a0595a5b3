"""Roll-ups as cells: members to the whole in a month, months to a year or a figure's range, as each line says."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from widefork.core.axes import Grain, Period
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime
from widefork.files.workbook.layout import HEAD
from widefork.files.workbook.look import format_of
from widefork.files.workbook.material import CASE_NUMBER
from widefork.files.workbook.pieces import ATOM, POWER, PRODUCT, SUM, At, Pieces, Ref, Text, digits, total
from widefork.files.workbook.tab import Tab, Values

ALIKE = "1E-12"
"""Parts that differ by no more than this share of the largest are the same."""


class Rolling:
    """Rows of months that hold a line rolled up over its members, or what weighs it: written where first asked for.

    Parameters
    ----------
    tab : the sheet they are written on, where the line's own row does not hold them already.
    """

    def __init__(self, tab: Tab) -> None:
        self.tab, self.material, self.model = tab, tab.material, tab.material.model
        self.row = HEAD
        self.known: dict[Pieces, At] = {}
        timeline = self.material.timeline
        self.periods = timeline.periods(Grain.MONTH, timeline.start, timeline.end)
        tab.title("Roll-ups", "Members rolled up month by month, as each line says; read by the sheets before.")
        tab.months()

    def months(self, line: Line, members: MemberKey) -> At:
        """Return the row of a line's months, for one combination of members or, for (), all of them."""
        if members or not line.dimensions:
            return self.material.rows_by_line[line.name][members]
        every = roll_up(self.material.results, line.name, self.periods, ())
        values = np.broadcast_to(every, (len(every), len(self.model.cases)))
        if self._is_said_by_case(line, (), False):
            return self._case_row(line, values)
        return self._row(self._over_members(line), line, "all members", values[:, self.material.entry])

    def weights(self, line: Line, members: MemberKey) -> At:
        """Return the row of what weighs a line in each month."""
        every = [members] if members or not line.dimensions else list(self.material.rows_by_line[line.name])
        rows = [row for key in every for row in self._weight_rows(line, key)]
        weight = self.model.line(line.rollup.denominator)
        return self._row(_sum(at for _, at in rows).pieces, weight, f"weighs {line.label}", self._values(weight, rows))

    def over_time(self, line: Line, members: MemberKey, first: int, last: int, sheet: str) -> str:
        """Return a formula that rolls the months from one place to another up; nothing where they have no total."""
        return f"={self._over_time(line, members, first, last, sheet)}"

    def _over_time(self, line: Line, members: MemberKey, first: int, last: int, sheet: str) -> str:
        if self._is_said_by_case(line, members, first != last):
            return self._by_case(line, members, first, last)
        at = self.months(line, members)
        own, begin, end = (
            self.material.span(at, *ends, sheet) for ends in ((first, last), (first, first), (last, last))
        )
        match line.rollup.over_time if first != last else OverTime.END:
            case OverTime.SUM:
                return f"SUM({own})"
            case OverTime.END:
                return end
            case OverTime.START:
                return begin
            case OverTime.NONE:
                return _alike_text(own, begin)
            case OverTime.WEIGHTED:
                weights = self.material.span(self.weights(line, members), first, last, sheet)
                return f"IF(SUM({weights})=0,{_alike_text(own, begin)},SUMPRODUCT({own},{weights})/SUM({weights}))"
            case OverTime.RATIO:
                parts = (self.model.line(name) for name in (line.rollup.numerator, line.rollup.denominator))
                above, below = (self._over_time(p, _shared(line, members, p), first, last, sheet) for p in parts)
                return f'IF(({below})=0,"",({above})/({below}))'
        return f"AVERAGE({own})"

    def _is_said_by_case(self, line: Line, members: MemberKey, is_long: bool) -> bool:
        """Whether a ratio's own line is acted on in some case: its parts no longer say what it is there."""
        rollup = line.rollup
        by_members = not members and bool(line.dimensions) and rollup.over_members is OverMembers.RATIO
        is_ratio = by_members or (is_long and rollup.over_time is OverTime.RATIO)
        return is_ratio and bool(self.material.results.adjusted(line.name).any())

    def _by_case(self, line: Line, members: MemberKey, first: int, last: int) -> str:
        """The value of each case, chosen by its place among them."""
        months = self.material.timeline.months
        period = Period("", "", months[first], months[last])
        values = roll_up(self.material.results, line.name, [period], members)[0]
        every = np.broadcast_to(values, (len(self.model.cases),)).tolist()
        said = ",".join(f"{digits(value)}" if value == value else '""' for value in every)
        return f"CHOOSE({CASE_NUMBER},{said})"

    # What is written

    def _row(self, pieces: Pieces, line: Line, said: str, values: Values) -> At:
        if len(pieces) == 1 and isinstance(pieces[0], Ref) and not pieces[0].offset:
            return pieces[0].at
        if pieces not in self.known:
            at = self.known[pieces] = At(self.tab.name, self.row)
            self.tab.sheet.write_string(at.row, 0, line.label, self.tab.looks())
            self.tab.sheet.write_string(at.row, 1, said, self.tab.looks.quiet)
            self.tab.sheet.write_string(at.row, 2, line.unit, self.tab.looks.quiet)
            look = self.tab.looks.figure(format_of(line, self.material.decimals))
            self.tab.formulas(at.row, pieces, look, values.tolist(), nothing="")
            self.row += 1
        return self.known[pieces]

    def _case_row(self, line: Line, values: Values) -> At:
        """A row of values, each case's in every cell."""
        key: Pieces = (f"={line.name}",)
        if key not in self.known:
            at = self.known[key] = At(self.tab.name, self.row)
            self.tab.sheet.write_string(at.row, 0, line.label, self.tab.looks())
            self.tab.sheet.write_string(at.row, 1, "all members, as values", self.tab.looks.quiet)
            look = self.tab.looks.figure(format_of(line, self.material.decimals), is_fixed=True)
            for place, own in enumerate(values.tolist()):
                said = self._by_case(line, (), place, place)
                self.tab.formula(at.row, place, f"={said}", look, own[self.material.entry])
            self.row += 1
        return self.known[key]

    def _over_members(self, line: Line) -> Pieces:
        rows: Mapping[MemberKey, At] = self.material.rows_by_line[line.name]
        keys = self.model.keys_of(line)
        there = [rows[key] for key in keys]
        match line.rollup.over_members:
            case OverMembers.SUM:
                return _sum(rows.values()).pieces
            case OverMembers.MEAN:
                return (*_sum(rows.values()).within(PRODUCT), f"/{max(1, len(keys))}")
            case OverMembers.RATIO:
                parts = (self.model.line(name) for name in (line.rollup.numerator, line.rollup.denominator))
                above, below = (Ref(self.months(part, _shared(line, (), part))) for part in parts)
                return ("IF(", below, '=0,"",', above, "/", below, ")")
            case OverMembers.NONE:
                return _alike(there)
        weights = [_sum(at for _, at in self._weight_rows(line, key)) for key in keys]
        products = [
            Text((*weight.within(PRODUCT), "*", Ref(at)), PRODUCT) for weight, at in zip(weights, there, strict=True)
        ]
        whole, weighed = total(weights), total(products)
        asked: Pieces = ("IF(", *whole.within(SUM), "=0,", *_alike(there), ",")
        return (*asked, *weighed.within(PRODUCT), "/", *whole.within(POWER), ")")

    def _weight_rows(self, line: Line, key: MemberKey) -> list[tuple[MemberKey, At]]:
        """What weighs a combination of members: the denominator, summed over dimensions the line does not have."""
        named = dict(zip(line.dimensions, key, strict=True))
        weight = self.model.line(line.rollup.denominator)
        return [
            (other, at)
            for other, at in self.material.rows_by_line[weight.name].items()
            if all(named.get(d, member) == member for d, member in zip(weight.dimensions, other, strict=True))
        ]

    def _values(self, line: Line, rows: Sequence[tuple[MemberKey, At]]) -> Values:
        series = [self.material.cached.line(line.name, key) for key, _ in rows]
        return np.asarray(np.sum(series, axis=0)) if series else np.zeros(self.material.months)


def _shared(line: Line, members: MemberKey, part: Line) -> MemberKey:
    """The members a part of a ratio is spread over too; () when it has others."""
    named = dict(zip(line.dimensions, members, strict=False))
    has_all = bool(part.dimensions) and all(each in named for each in part.dimensions)
    return tuple(named[each] for each in part.dimensions) if has_all else ()


def _sum(rows: Iterable[At]) -> Text:
    return total([Text((Ref(at),), ATOM) for at in rows])


def _alike(rows: Sequence[At]) -> Pieces:
    """What all rows say in a month; nothing where they differ."""
    if len(rows) == 1:
        return (Ref(rows[0]),)
    parts: list[str | Ref] = []
    for at in rows:
        parts += [",", Ref(at)] if parts else [Ref(at)]
    low, high = ("MIN(", *parts, ")"), ("MAX(", *parts, ")")
    return ("IF(", *high, "-", *low, f"<={ALIKE}*MAX(ABS(", *low, "),ABS(", *high, ")),", Ref(rows[0]), ',"")')


def _alike_text(months: str, first: str) -> str:
    """What all months say; nothing where they differ."""
    reach = f"{ALIKE}*MAX(ABS(MIN({months})),ABS(MAX({months})))"
    return f'IF(MAX({months})-MIN({months})<={reach},{first},"")'
