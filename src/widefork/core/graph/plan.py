"""A compiled model: formulas parsed and checked, memory made explicit, order found, faults kept beside their lines."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from widefork.core.changes import Change
from widefork.core.errors import ChangeRefused, FormulaError, InvalidModel, UnknownName
from widefork.core.graph.batch import Amounts
from widefork.core.graph.counters import COUNTER_UNITS, COUNTERS
from widefork.core.graph.model import Model
from widefork.core.graph.order import Needs, Step, order_lines
from widefork.core.language import syntax
from widefork.core.language.check import Scope, check_formula
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.parse import parse
from widefork.core.language.syntax import Node
from widefork.core.language.units import UnitWarning, check_units, in_ones

STATEMENTS = "statements"
"""The source of lines that are captions and totals."""


@dataclass(frozen=True)
class Problem:
    """Why a line has no values.

    Parameters
    ----------
    sentence : str. For a reader.
    error : the formula's own fault with its place; None when the line only waits for others.
    """

    sentence: str
    error: FormulaError | None = None


@dataclass(frozen=True, repr=False)
class Plan:
    """A model ready to be evaluated. Build it with ``compile_model``.

    Parameters
    ----------
    model : the model, all lines included.
    formulas : syntax tree by line, as written.
    computed : the same after memory was made explicit; holds auxiliary lines too.
    needs : what each line reads. steps : the order. problems : lines without values, and why.
    own_past : lines that read their own past, directly or through others.
    warnings : mismatches of units by line; they never stop a calculation.
    shared : what evaluators keep for all plans of the same structure.
    own : the model before its generated lines were added; None where it was compiled as it is.
    """

    model: Model
    formulas: Mapping[str, Node]
    computed: Mapping[str, Node]
    needs: Mapping[str, Needs]
    steps: tuple[Step, ...]
    problems: Mapping[str, Problem]
    own_past: frozenset[str]
    warnings: Mapping[str, tuple[UnitWarning, ...]] = field(default_factory=dict)
    shared: dict[str, Any] = field(default_factory=dict, compare=False)
    own: Model | None = field(default=None, compare=False)

    def __repr__(self) -> str:
        return f"Plan({self.model.name}: {len(self.model.lines)} lines)"

    def upstream(self, names: Iterable[str]) -> frozenset[str]:
        """Return the names and everything they are computed from."""
        found: set[str] = set()
        waiting = list(names)
        while waiting:
            name = waiting.pop()
            if name not in found:
                found.add(name)
                waiting.extend(self.needs[name].names if name in self.needs else ())
        return frozenset(found)

    def with_ratios(self, names: Iterable[str]) -> tuple[str, ...]:
        """Return the names and the numerators and denominators they are rolled up by."""
        found = dict.fromkeys(names)
        for name in tuple(found):
            rollup = self.model.line(name).rollup
            found |= dict.fromkeys(part for part in (rollup.numerator, rollup.denominator) if part)
        return tuple(found)

    def assumptions_behind(self, name: str) -> tuple[str, ...]:
        """Return the assumptions a line depends on, in reading order."""
        reached = self.upstream(self.with_ratios([name]))
        return tuple(line.name for line in self.model.lines if line.is_assumption and line.name in reached)

    def check_batch(self, batch: Iterable[Iterable[Change]]) -> None:
        """Refuse a batch with a change that ``check_changeable`` refuses."""
        lists = [(*batch.shared, *batch.ways)] if isinstance(batch, Amounts) else batch
        for name in dict.fromkeys(change.line for changes in lists for change in changes):
            self.check_changeable(name)

    def check_changeable(self, name: str) -> None:
        """Refuse a change on a line whose counter-entry would be lost or whose change would compound.

        Raises
        ------
        UnknownName: no such line.
        ChangeRefused: a caption, a total, a line that reads its own past, or one with a mistake in its formula.
        """
        line = self.model.line(name)
        if line.is_assumption:
            return
        if line.is_fixed:
            raise ChangeRefused(name, f"{line.label} says how it is built and stands in its register; change it there.")
        if name not in self.needs:
            raise ChangeRefused(name, f"{line.label} has a mistake in its formula; mend that first.")
        flows = [n for n in sorted(self.needs[name].names) if n in self.model.line_by_name and n not in self.own_past]
        instead = f" Change what it is made of instead: {', '.join(flows[:4])}." if flows else ""
        if line.source is not None and line.source.schedule == STATEMENTS:
            raise ChangeRefused(name, f"{line.label} is a caption or total of the statements.{instead}")
        if name in self.own_past:
            raise ChangeRefused(
                name, f"{line.label} carries its own past forward, so a change would compound.{instead}"
            )


def scope_of(model: Model) -> Scope:
    """Return the names formulas of a model may use."""
    return Scope(
        lines={line.name: line.dimensions for line in model.lines},
        members={dimension.name: dimension.members for dimension in model.dimensions},
        counters=frozenset(COUNTERS) | model.flag_names,
        profiles=frozenset(profile.name for profile in model.profiles),
        maps=maps_of(model),
    )


def maps_of(model: Model) -> frozenset[tuple[str, str]]:
    """Return which dimensions' members belong to members of which others."""
    return frozenset(
        (one.name, other.name) for one in model.dimensions for other in model.dimensions if one.mapping(other.name)
    )


def compile_model(model: Model, earlier: Plan | None = None) -> Plan:
    """Return the compiled model. A fault in one formula leaves the rest working (see ``Plan.problems``).

    Parameters
    ----------
    earlier : a plan of the same model before an edit. Where only numbers, words or cases changed since, its formulas
        and order are taken over, and so is what evaluators keep.

    Raises
    ------
    InvalidModel: a line named like a counter, function, dimension or profile; a change on an unknown line.
    """
    _check_names(model)
    if earlier is not None and _structure(earlier.model) == _structure(model):
        return replace(earlier, model=model)
    scope = scope_of(model)
    builder = _Builder(scope)
    for line in model.lines:
        if line.formula is not None:
            builder.add(line.name, line.formula, line.dimensions)
    allowed = frozenset(line.name for line in model.lines if line.allow_loop)
    steps, loops = order_lines(builder.needs, allowed)
    problems = dict(builder.problems)
    for loop in loops:
        for name in loop.path[:-1]:
            text = model.line_by_name[name].formula or "" if name in model.line_by_name else ""
            problems.setdefault(name, Problem(loop.sentence, FormulaError(loop.sentence, text)))
    stepped = {name for step in steps if step.is_stepped for name in step.lines}
    plan = Plan(model, builder.formulas, builder.computed, builder.needs, steps, problems, frozenset(stepped))
    waiting = _waiting(plan, {name for loop in loops for name in loop.path})
    return replace(plan, problems={**waiting, **problems}, warnings=_unit_warnings(model, builder.formulas))


def _structure(model: Model) -> tuple[Any, ...]:
    """All of a model that its compiled form depends on."""
    lines = [
        (line.name, line.unit, line.dimensions, line.formula, line.allow_loop, line.opening, line.history, line.absent,
         line.rollup, bool(line.actuals))
        for line in model.lines
    ]  # fmt: skip
    before = [(each.line, each.members, each.start, each.values, each.per_year) for each in model.histories]
    return model.timeline, model.dimensions, model.profiles, model.flags, model.units, lines, before


def check_model(model: Model) -> Plan:
    """Return the compiled model, or raise the first fault: for edits, which must leave a model without any.

    Raises
    ------
    InvalidModel, also for a ratio of lines that are not there; FormulaError for a formula that cannot be read, a name
    nothing answers to, or a loop.
    """
    plan = compile_model(model)
    check_problems(plan)
    return plan


def check_problems(plan: Plan) -> None:
    """Raise the first fault of a compiled model; see ``check_model``."""
    model = plan.model
    for problem in plan.problems.values():
        if problem.error is not None:
            raise problem.error
    for name in dict.fromkeys(change.line for change in model.all_changes):
        plan.check_changeable(name)
    for line in model.lines:
        for part in filter(None, (line.rollup.numerator, line.rollup.denominator)):
            if part not in model.line_by_name:
                sentence = UnknownName("line to roll up by", part, model.line_by_name).sentence
                raise InvalidModel(sentence, f"lines/{line.name}/rollup")


def _check_names(model: Model) -> None:
    taken = {
        **dict.fromkeys(COUNTERS, "a counter"),
        **dict.fromkeys(FUNCTIONS.names, "a function"),
        **dict.fromkeys(model.dimension_by_name, "a dimension"),
        **dict.fromkeys((profile.name for profile in model.profiles), "a profile"),
    }
    own = [(f"flags/{flag.name}", flag.name) for flag in model.flags]
    lines = [(f"lines/{line.name}", line.name) for line in model.lines]
    for place, name in own + lines:
        if name in taken:
            raise InvalidModel(f"{name} is already the name of {taken[name]}; choose another.", place)
        if place.startswith("flags"):
            taken[name] = "a flag"
    for change in model.all_changes:
        model.line(change.line)
    for figure in model.figures:
        model.line(figure.line)


def _unit_warnings(model: Model, formulas: Mapping[str, Node]) -> dict[str, tuple[UnitWarning, ...]]:
    units = {line.name: in_ones(line.unit, model.units) for line in model.lines}
    found = {name: check_units(tree, units[name], units, COUNTER_UNITS) for name, tree in formulas.items()}
    return {name: warnings for name, warnings in found.items() if warnings}


def _waiting(plan: Plan, in_loops: set[str]) -> dict[str, Problem]:
    """Lines below a broken one: they wait for it."""
    broken = set(plan.problems)
    found: dict[str, Problem] = {}
    if not broken:
        return found
    for name in plan.computed:
        causes = sorted((plan.upstream([name]) & (broken | in_loops)) - {name})
        if name not in broken and causes:
            found[name] = Problem(f"Waits for {', '.join(causes[:3])}, which has a mistake in its formula.")
    return found


class _Builder:
    """Collects formulas; an expression a time function looks back on becomes an auxiliary line of its own."""

    def __init__(self, scope: Scope) -> None:
        self.scope = scope
        self.formulas: dict[str, Node] = {}
        self.computed: dict[str, Node] = {}
        self.auxiliary: set[str] = set()
        self.needs: dict[str, Needs] = {}
        self.problems: dict[str, Problem] = {}

    def add(self, name: str, text: str, dimensions: tuple[str, ...]) -> None:
        try:
            tree = parse(text)
            check_formula(tree, text, self.scope, dimensions)
        except FormulaError as fault:
            self.problems[name] = Problem(fault.sentence, fault)
            return
        self.formulas[name] = tree
        self._store(name, syntax.rebuild(tree, lambda node: self._lower(name, node)))

    def _store(self, name: str, tree: Node) -> None:
        self.computed[name] = tree
        self.needs[name] = _needs(tree, self.scope)

    def _lower(self, owner: str, node: Node) -> Node:
        if not isinstance(node, syntax.Call) or FUNCTIONS[node.function].kind is not Kind.TIME:
            return node
        looked_at = node.arguments[0]
        if isinstance(looked_at, syntax.Name | syntax.At):
            return node
        if node.function == "before" and not _remembers(looked_at):
            return syntax.rebuild(looked_at, lambda piece: _shift(piece, node, self.scope))
        name = f"{owner}·{len(self.auxiliary) + 1}"
        self.auxiliary.add(name)
        self._store(name, looked_at)
        return syntax.Call(node.function, (syntax.Name(name), *node.arguments[1:]), spot=node.spot)


def _remembers(node: Node) -> bool:
    calls = [FUNCTIONS[piece.function] for piece in syntax.walk(node) if isinstance(piece, syntax.Call)]
    return any(function.kind is Kind.TIME or function.sees_past for function in calls)


def _shift(piece: Node, lag: syntax.Call, scope: Scope) -> Node:
    """The month before of a sum is the sum of the months before: push the lag to the names."""
    if isinstance(piece, syntax.Name | syntax.At) and (piece.name in scope.lines or piece.name in scope.counters):
        return syntax.Call(lag.function, (piece, *lag.arguments[1:]), spot=piece.spot)
    return piece


def _needs(tree: Node, scope: Scope) -> Needs:
    same: set[str] = set()
    earlier: set[str] = set()
    later: set[str] = set()

    def visit(node: Node) -> None:
        match node:
            case syntax.Name(name) | syntax.At(name, _):
                same.add(name)
            case syntax.Call("before", arguments):
                earlier.update(syntax.names_in(arguments[0]))
            case syntax.Call("after", arguments):
                later.update(syntax.names_in(arguments[0]))
            case _:
                for child in syntax.children(node):
                    visit(child)

    visit(tree)
    known = set(scope.lines)

    def is_line(name: str) -> bool:
        return name in known or "·" in name

    return Needs(*(frozenset(filter(is_line, names)) for names in (same, earlier, later)))
