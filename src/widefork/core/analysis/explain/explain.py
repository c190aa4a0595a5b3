"""How a value came about: its formula, the values put into it, and its parts, down to the assumptions."""

from dataclasses import replace

import numpy as np

from widefork.core.analysis.explain.contributions import Contributions, OneOf, one_value, spelled_out
from widefork.core.analysis.explain.found import CHANGED_DIRECTLY, Contribution, Explanation, Kind, Part, Show
from widefork.core.axes import Grain, Month, Period
from widefork.core.changes import Change, plan_months
from widefork.core.graph.calculate import Results
from widefork.core.graph.formulas import FormulaValues
from widefork.core.graph.rollup import roll_up
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS
from widefork.core.language.functions import Kind as FunctionKind
from widefork.core.language.functions.function import NEARLY
from widefork.core.language.printing import print_formula
from widefork.core.language.syntax import Node
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime


def explain(
    results: Results,
    batch: int,
    changes: tuple[Change, ...],
    name: str,
    members: MemberKey,
    first: Month,
    last: Month,
    show: Show,
) -> Explanation:
    """Return how a value came about.

    Parameters
    ----------
    results : a full evaluation. batch : which of its change lists. changes : that list.
    name, members, first, last : the value asked about; a range of months is rolled up as the line says.
    show : writes values into the filled formula.

    Raises
    ------
    UnknownName: no such line or member. InvalidValue: a month outside the timeline.
    """
    return _Explainer(results, batch, changes, show).explain(name, members, first, last)


def explain_by_formula(
    results: Results, batch: int, changes: tuple[Change, ...], name: str, members: MemberKey, first: Month, last: Month,
    show: Show,
) -> Explanation:  # fmt: skip
    """Return how a flow over several months came about by the pieces of its formula, each summed over the months.

    Parameters are those of ``explain``; the line's months, and its members where all are asked for, add up.
    """
    explainer = _Explainer(results, batch, changes, show)
    line = results.plan.model.line(name)
    keys = [members] if members or not line.dimensions else results.plan.model.keys_of(line)
    pieces: dict[str, tuple[float, dict[str, Part]]] = {}
    for period in results.plan.model.timeline.periods(Grain.MONTH, first, last):
        for key in keys:
            one = explainer.explain(name, key, period.first, period.first)
            for piece in one.contributions or (Contribution(_GIVEN.get(one.kind, "given"), one.value),):
                amount, parts = pieces.setdefault(piece.words, (0.0, {}))
                for part in piece.parts:
                    if part.line not in parts:
                        own = explainer.same_members(line, members, part.line)
                        parts[part.line] = explainer.part(part.line, own, first, last, part.role)
                pieces[piece.words] = amount + piece.amount, parts
    found = tuple(Contribution(words, amount, tuple(parts.values())) for words, (amount, parts) in pieces.items())
    whole = explainer.explain(name, members, first, last)
    return replace(whole, kind=Kind.FORMULA, formula=line.formula or "", filled="", parts=(), contributions=found)


_GIVEN = {Kind.ACTUAL: "what really happened", Kind.ABSENT: "does not exist"}


def origin_of_error(results: Results, batch: int, name: str, members: MemberKey, month: Month) -> Part | None:
    """Return where an error value first arose: the line furthest down that is NaN while its own parts are not.

    Returns None when the value is not an error value.
    """
    explainer = _Explainer(results, batch, (), lambda _, value: f"{value:g}")
    here = explainer.explain(name, members, month, month)
    if not np.isnan(here.value):
        return None
    known = results.origin(here.value)
    if known is not None:
        return explainer.at(*known)
    seen: set[tuple[str, MemberKey, Month]] = set()
    while True:
        broken = [p for p in here.parts if np.isnan(p.value) and (p.line, p.members, p.first) not in seen]
        if not broken:
            return Part(here.line, here.members, here.first, here.last, here.value)
        part = broken[0]
        seen.add((part.line, part.members, part.first))
        here = explainer.explain(part.line, part.members, part.first, part.last)


class _Explainer:
    def __init__(self, results: Results, batch: int, changes: tuple[Change, ...], show: Show) -> None:
        self.results, self.batch, self.changes, self.show = results, batch, changes, show
        self.plan = results.plan
        self.model = results.plan.model
        self.timeline = self.model.timeline
        self.formulas = FormulaValues(self.model, OneOf(results.arrays, batch))

    def value(self, name: str, members: MemberKey, first: Month, last: Month) -> float:
        period = Period("", "", first, last)
        return float(roll_up(self.results, name, [period], members)[0, self.batch])

    def at(self, name: str, places: tuple[int, ...], month: int) -> Part:
        """The part at places along the model's dimensions; an auxiliary line stands for the line it belongs to."""
        line = self.model.line(name.split("·")[0])
        by_name = {d.name: d.members[place] for d, place in zip(self.model.dimensions, places, strict=True)}
        first = self.timeline.months[month]
        return self.part(line.name, tuple(by_name[d] for d in line.dimensions), first, first)

    def part(self, name: str, members: MemberKey, first: Month, last: Month, role: str = "") -> Part:
        return Part(name, members, first, last, self.value(name, members, first, last), role)

    def explain(self, name: str, members: MemberKey, first: Month, last: Month) -> Explanation:
        line = self.model.line(name)
        kind, formula, filled, parts = self._made_of(line, members, first, last)
        problem = self.plan.problems.get(name)
        value = self.value(name, members, first, last)
        return Explanation(
            name,
            members,
            first,
            last,
            value,
            kind,
            formula,
            filled,
            parts,
            self._touching(line, members, first, last),
            tuple(other.name for other in self.model.lines if self._reads(other.name, name)),
            problem.sentence if problem else "",
            self._contributions(kind, line, members, first, parts, value) if np.isfinite(value) else (),
        )

    def _contributions(
        self, kind: Kind, line: Line, members: MemberKey, first: Month, parts: tuple[Part, ...], value: float
    ) -> tuple[Contribution, ...]:
        match kind:
            case Kind.MONTHS | Kind.MEMBERS:
                over = line.rollup.over_time if kind is Kind.MONTHS else line.rollup.over_members
                named = [part.first.label if kind is Kind.MONTHS else ", ".join(part.members) for part in parts]
                shares = [
                    part.value * weight for part, weight in zip(parts, self._weights(line, over, parts), strict=True)
                ]
                return tuple(Contribution(n, s, (p,)) for n, s, p in zip(named, shares, parts, strict=True))
            case Kind.RATIO:
                above, below = (part.value for part in parts)
                ratio = above / below if below else np.nan
                found = [Contribution(" / ".join(part.line for part in parts), ratio, parts)]
                if abs(value - ratio) > NEARLY * max(1.0, abs(value)):
                    found.append(Contribution(CHANGED_DIRECTLY, value - ratio))
                return tuple(found)
            case Kind.FORMULA:
                here = dict(zip(line.dimensions, members, strict=True))
                found = Contributions(self.formulas, self.plan, self._parts).of(
                    self.plan.computed[line.name], here, first
                )
                rest = value - sum(entry.amount for entry in found)
                if abs(rest) > NEARLY * max(1.0, abs(value), *(abs(entry.amount) for entry in found)):
                    found.append(Contribution(CHANGED_DIRECTLY, rest))
                return tuple(found)
        return ()

    def _weights(self, line: Line, over: OverTime | OverMembers, parts: tuple[Part, ...]) -> list[float]:
        """By how much each month or member counts in the whole."""
        if over in (OverTime.MEAN, OverMembers.MEAN, OverTime.NONE, OverMembers.NONE):  # none: all parts are the same
            return [1 / len(parts)] * len(parts)
        if over not in (OverTime.WEIGHTED, OverMembers.WEIGHTED):
            return [1.0] * len(parts)
        by = line.rollup.denominator
        weights = [self.value(by, self.same_members(line, p.members, by), p.first, p.last) for p in parts]
        whole = sum(weights)
        return [weight / whole if whole else 1 / len(parts) for weight in weights]

    def _reads(self, reader: str, name: str) -> bool:
        tree = self.plan.formulas.get(reader)
        return tree is not None and reader != name and name in syntax.names_in(tree)

    def _touching(self, line: Line, members: MemberKey, first: Month, last: Month) -> tuple[Change, ...]:
        asked = self.timeline.span(first, last)
        here = dict(zip(line.dimensions, members, strict=False))
        found = []
        for change in self.changes:
            span = plan_months(change, self.timeline)
            overlaps = span.start < asked.stop and asked.start < span.stop
            named = [m for d, m in change.members if d in here]
            if change.line == line.name and overlaps and (not named or not here or set(named) & set(here.values())):
                found.append(change)
        return tuple(found)

    def _made_of(
        self, line: Line, members: MemberKey, first: Month, last: Month
    ) -> tuple[Kind, str, str, tuple[Part, ...]]:
        name = line.name
        whole = bool(line.dimensions) and not members
        ratio = (first != last and line.rollup.over_time is OverTime.RATIO) or (
            whole and line.rollup.over_members is OverMembers.RATIO
        )
        if ratio:
            above, below = line.rollup.numerator, line.rollup.denominator
            parts = tuple(self.part(n, self.same_members(line, members, n), first, last) for n in (above, below))
            filled = f"{self.show(above, parts[0].value)} / {self.show(below, parts[1].value)}"
            return Kind.RATIO, f"{above} / {below}", filled, parts
        if first != last:
            if line.rollup.over_time is OverTime.END:
                return Kind.MONTHS, "", "", (self.part(name, members, last, last, "the last month"),)
            columns = self.timeline.periods(Grain.MONTH, first, last)
            return Kind.MONTHS, "", "", tuple(self.part(name, members, p.first, p.last) for p in columns)
        if whole:
            return Kind.MEMBERS, "", "", tuple(self.part(name, key, first, last) for key in self.model.keys_of(line))
        if name in self.plan.problems:
            return Kind.PROBLEM, line.formula or "", "", ()
        if members in line.absent:
            return Kind.ABSENT, "", "", ()
        known = line.actuals.get(members, ())
        place = self.timeline.index(first)
        if self.timeline.is_actual(first) and place < len(known) and not np.isnan(known[place]):
            return Kind.ACTUAL, line.formula or "", "", ()
        if line.formula is None:
            return Kind.ASSUMPTION, "", "", ()
        tree = self.plan.computed[name]
        here = dict(zip(line.dimensions, members, strict=True))
        filled = print_formula(tree, lambda node: self._shown(node, here, first))
        return Kind.FORMULA, line.formula, filled, self._parts(tree, here, first)

    def same_members(self, line: Line, members: MemberKey, other: str) -> MemberKey:
        """The members of another line that some members of this one say; () where they do not say all."""
        here = dict(zip(line.dimensions, members, strict=False))
        return self._members_of(other, here)

    def _members_of(self, name: str, here: dict[str, str]) -> MemberKey:
        own = self.model.line(name).dimensions
        return tuple(here[d] for d in own) if all(d in here for d in own) else ()

    def _piece(self, node: Node, here: dict[str, str], month: Month) -> float:
        place = self.timeline.index(month)
        return one_value(self.formulas.value_of(node, slice(place, place + 1)), self.model, here)

    def _shown(self, node: Node, here: dict[str, str], month: Month) -> str | None:
        match node:
            case syntax.Name(name) | syntax.At(name, _):
                return self.show(name, self._piece(node, here, month))
            case syntax.Call(function, arguments) if FUNCTIONS[function].kind is not FunctionKind.ELEMENTWISE:
                names = syntax.names_in(arguments[0])
                return self.show(names[0].split("·")[0] if names else "", self._piece(node, here, month))
        return None

    def _parts(self, node: Node, here: dict[str, str], month: Month, role: str = "") -> tuple[Part, ...]:
        found: list[Part] = []
        match node:
            case syntax.Name(name) | syntax.At(name, _):
                found.extend(self._named(node, name, here, month, role))
            case syntax.Call("before", arguments):
                lag = int(getattr(arguments[1], "value", 1)) if len(arguments) > 1 else 1
                words = "the month before" if lag == 1 else f"{lag} months before"
                earlier = month.plus(-lag)
                if earlier >= self.timeline.start:
                    found.extend(self._parts(arguments[0], here, earlier, words))
                else:
                    words = f"{words}, before the start"
                    found.extend(
                        Part(n, (), month, month, self._piece(node, here, month), words)
                        for n in syntax.names_in(spelled_out(arguments[0], self.plan))
                    )
            case syntax.Call("after", arguments):
                ahead = int(getattr(arguments[1], "value", 1)) if len(arguments) > 1 else 1
                later = min(month.plus(ahead), self.timeline.end)
                found.extend(self._parts(arguments[0], here, later, f"{ahead} months later"))
            case syntax.Call(function, arguments) if FUNCTIONS[function].kind is FunctionKind.MEMBERS:
                found.extend(self._parts(arguments[0], {}, month, FUNCTIONS[function].summary.rstrip(".").lower()))
            case syntax.Call(function, arguments) if FUNCTIONS[function].kind is FunctionKind.TIME:
                found.extend(self._parts(arguments[0], here, month, FUNCTIONS[function].summary.rstrip(".").lower()))
                for argument in arguments[1:]:
                    found.extend(self._parts(argument, here, month))
            case _:
                for child in syntax.children(node):
                    found.extend(self._parts(child, here, month, role))
        unique = {(p.line, p.members, p.first, p.role): p for p in found}
        return tuple(unique.values())

    def _named(self, node: Node, name: str, here: dict[str, str], month: Month, role: str) -> tuple[Part, ...]:
        if "·" in name and name in self.plan.computed:
            return self._parts(self.plan.computed[name], here, month, role)
        if name not in self.model.line_by_name:
            return ()
        if isinstance(node, syntax.At):
            own = self.model.dimensions_of(self.model.line(name))
            here = {**here, **{d.name: node.member for d in own if node.member in d.members}}
        return (self.part(name, self._members_of(name, here), month, month, role),)
