"""Writes a plan as a program: every line and combination of members a row, every piece of a formula an instruction.

Equal pieces are computed once. Pieces of a month-by-month group that do not depend on it are computed before it, all
months at once; a line that only carries itself forward (before(x) + …) becomes a roll-forward and needs no group.
"""

from collections.abc import Iterable, Sequence
from itertools import product

import numpy as np

from widefork.core.engine.operations import CAN_FAIL, COLUMNS, MANY_ROWS, SOLVED, STEPPED, TABLE, VECTOR, Op
from widefork.core.engine.program import LineRows, Program, error_value
from widefork.core.graph.counters import counter_values
from widefork.core.graph.order import Step
from widefork.core.graph.plan import Plan
from widefork.core.graph.spreading import Spreading
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.syntax import Node
from widefork.core.lines import MemberKey

Place = dict[str, int]
"""Member's place by dimension name."""


def can_lower(name: str) -> bool:
    """Return whether the machine knows a function; a model with any other is evaluated plainly."""
    return name in TABLE


def write_program(plan: Plan) -> Program | None:
    """Return a plan's program; None where it uses a function the machine does not know."""
    called = {n.function for tree in plan.computed.values() for n in syntax.walk(tree) if isinstance(n, syntax.Call)}
    return _Writer(plan).program() if all(map(can_lower, called)) else None


class _Writer:
    def __init__(self, plan: Plan) -> None:
        self.plan, self.model = plan, plan.model
        self.months = plan.model.timeline.month_count
        self.constants: dict[int, np.ndarray[tuple[int], np.dtype[np.float64]]] = {}
        self.row_count = 0
        self.code: list[list[int]] = []
        self.sections: list[list[int]] = []
        self.watched: list[int] = []
        self.lists: list[int] = []
        self.failing: list[int] = []
        self.section_lines: dict[int, tuple[str, ...]] = {}
        self.ends: dict[str, int] = {}
        self.shared: dict[tuple[int, ...], int] = {}
        self.keys: dict[int, tuple[int, ...]] = {}
        self.numbers: dict[float, int] = {}
        self.group: list[list[int]] | None = None
        self.inside: set[int] = set()
        self.owner = 0
        self._write_tables()
        counted = counter_values(self.model.timeline, self.model.flags)
        self.counters = {name: self._constant(values) for name, values in counted.items()}
        self.spreading = Spreading(plan)
        self.lines: dict[str, LineRows] = {}
        self.known: dict[str, int] = {}
        for name, dims in self.spreading.by_name.items():
            self._make_rows(name, dims)

    # Rows

    def _rows(self, count: int) -> int:
        self.row_count += count
        return self.row_count - count

    def _constant(self, values: "np.ndarray[tuple[int], np.dtype[np.float64]]") -> int:
        row = self._rows(1)
        self.constants[row] = values
        return row

    def _number(self, value: float) -> int:
        if value not in self.numbers:
            self.numbers[value] = self._constant(np.full(self.months, value))
        return self.numbers[value]

    def _make_rows(self, name: str, dims: frozenset[str]) -> None:
        shape = tuple(len(d) if d.name in dims else 1 for d in self.model.dimensions)
        count = int(np.prod(shape))
        line = self.model.line_by_name.get(name)
        first = self._rows(count)
        raw = first
        if line is not None and not line.is_given and line.actuals and self.model.timeline.actual_count:
            raw = self._rows(count)
            self.known[name] = self._rows(count)
        self.lines[name] = LineRows(first, shape, raw)
        if name in self.plan.problems:
            for row in range(first, first + count):
                self.constants[row] = error_value(row, self.months)

    def _row(self, name: str, place: Place, raw: bool = False) -> int:
        found = self.lines[name]
        at = tuple(place[d.name] if size > 1 else 0 for d, size in zip(self.model.dimensions, found.shape, strict=True))
        return (found.raw if raw else found.first) + (int(np.ravel_multi_index(at, found.shape)) if at else 0)

    # Histories and profiles

    def _write_tables(self) -> None:
        self.values: list[float] = []
        self.tables: list[tuple[int, int]] = []
        self._table((), 0.0)
        self.histories: dict[str, int] = {}
        self.early: dict[tuple[str, MemberKey], int] = {}
        for line in self.model.lines:
            by_member = self.model.early_values.get(line.name, {})
            for key, months in by_member.items():
                self.early[line.name, key] = self._table(months, line.opening)
            if not by_member and (line.history or line.opening):
                self.histories[line.name] = self._table(line.history, line.opening)
        self.profiles = {p.name: self._table(p.values, 0.0) for p in self.model.profiles}

    def _history(self, node: Node, place: Place) -> int:
        """The table of a line's months before the first one, at a combination of members; the first holds nothing."""
        if not isinstance(node, syntax.Name | syntax.At):
            return 0
        line = self.model.line_by_name.get(node.name)
        if line is None or line.name not in self.model.early_values:
            return self.histories.get(node.name, 0)
        at = dict(place)
        if isinstance(node, syntax.At):
            dimension = self.model.dimension_by_name[self.spreading.dimension_of(node.name, node.member)]
            at[dimension.name] = dimension.index(node.member)
        key = tuple(d.members[at.get(d.name, 0)] for d in self.model.dimensions_of(line))
        return self.early[line.name, key]

    def _table(self, values: Sequence[float], opening: float) -> int:
        self.tables.append((len(self.values), len(values)))
        self.values.extend((*values, opening))
        return len(self.tables) - 1

    # Instructions

    def _instruct(self, op: Op, rows: Sequence[int], p: int = 0, q: int = 0, target: int | None = None) -> int:
        """Write an instruction, or find the row that already holds the same; return its row."""
        key = (int(op), *rows, p, q)
        if target is None and key in self.shared:
            return self.shared[key]
        count = p if op in MANY_ROWS else 1
        row = self._rows(count) if target is None else target
        if target is None:
            self.shared[key], self.keys[row] = row, key
        a, b, c = self._operands(op, rows)
        failing = -1
        if op in CAN_FAIL:
            failing = len(self.failing)
            self.failing.append(self.owner)
        inst = [int(op), row, a, b, c, p, q, failing]
        if self.group is not None and (row in self.inside or not self.inside.isdisjoint(rows)):
            self.group.append(inst)
            self.inside.update(range(row, row + count))
        else:
            self.code.append(inst)
        return row

    def _operands(self, op: Op, rows: Sequence[int]) -> tuple[int, int, int]:
        if op in MANY_ROWS:
            self.lists.extend(rows)
            return len(self.lists) - len(rows), 0, 0
        padded = [*rows, *([rows[0]] * (3 - len(rows)))]
        return padded[0], padded[1], padded[2]

    def program(self) -> Program:
        """Write all steps in order."""
        opened = 0
        for step in self.plan.steps:
            usable = [name for name in step.lines if name not in self.plan.problems]
            if not usable:
                continue
            if not step.is_stepped:
                self._write_line(usable[0], self.plan.computed[usable[0]])
                self.ends[usable[0]] = self._raw_end(usable[0])
            elif (rest := self._carried(step)) is not None:
                self._write_carried(usable[0], rest)
            else:
                self._write_group(usable, step, opened)
                opened = len(self.code)
        self._section(opened, len(self.code), VECTOR)
        return self._finished()

    def _section(self, start: int, stop: int, kind: int, watched: Sequence[int] = ()) -> None:
        if stop > start:
            self.sections.append([start, stop, kind, len(self.watched), len(self.watched) + len(watched)])
            self.watched.extend(watched)

    def _write_group(self, names: list[str], step: Step, opened: int) -> None:
        rows = [row for name in names for row in range(*self.lines[name].rows.indices(self.row_count))]
        raws = [self.lines[name].raw + offset for name in names for offset in range(self.lines[name].count)]
        self.group, self.inside = [], {*rows, *raws}
        for name in names:
            self._write_line(name, self.plan.computed[name])
        written, self.group, self.inside = self.group, None, set()
        self._section(opened, len(self.code), VECTOR)
        start = len(self.code)
        self.code.extend(written)
        if step.is_solved:
            self.section_lines[len(self.sections)] = tuple(names)
        self._section(start, len(self.code), SOLVED if step.is_solved else STEPPED, rows if step.is_solved else ())

    def _places(self, name: str) -> Iterable[Place]:
        dims = [d for d in self.model.dimensions if d.name in self.spreading.by_name[name]]
        for places in product(*(range(len(d)) for d in dims)):
            yield dict(zip((d.name for d in dims), places, strict=True))

    def _absent(self, name: str) -> set[int]:
        """Rows of combinations that do not exist."""
        line = self.model.line_by_name.get(name)
        if line is None:
            return set()
        places = (dict(zip(line.dimensions, at, strict=True)) for at in self.model.absent_members(line))
        return {self._row(name, place) for place in places}

    def _write_line(self, name: str, tree: Node) -> None:
        absent, written = self._absent(name), []
        for place in self._places(name):
            self.owner = self._row(name, place)
            row = self._row(name, place, raw=True)
            if self.owner in absent:
                self._instruct(Op.COPY, [self._number(0.0)], target=row)
            else:
                self._emit_into(row, tree, place)
            written.append((self.owner, row))
        for target, row in written:
            if target != row:
                known = self.known[name] + (target - self.lines[name].first)
                self._instruct(Op.OVERLAY, [row, known], target=target)

    def _raw_end(self, name: str) -> int:
        """The instruction behind a line's raw rows: before its actuals are laid over them."""
        return len(self.code) - (self.lines[name].count if name in self.known else 0)

    def _emit_into(self, target: int, tree: Node, place: Place) -> None:
        """Compute a formula straight into a line's row; a row that others read too is copied."""
        found = self.row_count
        codes = self.code, self.group
        sizes = len(self.code), len(self.group) if self.group is not None else 0
        row = self._emit(tree, place)
        for code, size in zip(codes, sizes, strict=True):
            if code is not None and len(code) > size and code[-1][1] == row >= found and code[-1][0] not in MANY_ROWS:
                self._retarget(code[-1], row, target)
                return
        self._instruct(Op.COPY, [row], target=target)

    def _retarget(self, inst: list[int], row: int, target: int) -> None:
        """Let the last instruction write into the line's row; nobody else knows its own row yet."""
        inst[1] = target
        del self.shared[self.keys[row]]
        if self.group is not None and inst is self.group[-1]:
            self.inside.discard(row)

    # Lines that only carry themselves forward

    def _carried(self, step: Step) -> Node | None:
        """What a line adds to its own month before; None where it is anything else."""
        (name, *others), line = step.lines, self.model.line_by_name.get(step.lines[0])
        if others or step.is_solved or line is None or name in self.known or line.absent:
            return None
        terms = list(_terms(self.plan.computed[name], 1.0))
        own = [term for term in terms if _is_own_past(term[1], name)]
        rest = [term for term in terms if term not in own]
        reads = {n for _, term in rest for n in syntax.names_in(term)}
        if len(own) != 1 or own[0][0] < 0 or not rest or name in reads:
            return None
        head = rest[0][1] if rest[0][0] > 0 else syntax.Negative(rest[0][1])
        return syntax.add_up(head, [("+" if sign > 0 else "-", term) for sign, term in rest[1:]], head.spot)

    def _write_carried(self, name: str, rest: Node) -> None:
        for place in self._places(name):
            self.owner = self._row(name, place)
            history = self._history(syntax.Name(name), place)
            self._instruct(Op.ROLL_FORWARD, [self._emit(rest, place)], 0, history, target=self.owner)

    # Pieces of formulas

    def _emit(self, node: Node, place: Place) -> int:
        """Return the row that holds a piece at a combination of members."""
        match node:
            case syntax.Number(value):
                return self._number(value)
            case syntax.MonthLiteral(month):
                return self._number(float(month.ordinal))
            case syntax.Name(name):
                return self.counters[name] if name in self.counters else self._row(name, place)
            case syntax.At(name, member):
                dimension = self.model.dimension_by_name[self.spreading.dimension_of(name, member)]
                return self._row(name, place | {dimension.name: dimension.index(member)})
            case syntax.Negative(operand):
                return self._instruct(Op.NEGATE, [self._emit(operand, place)])
            case syntax.Negation(operand):
                return self._instruct(Op.NOT, [self._emit(operand, place)])
            case syntax.Operation(operator, left, right):
                return self._instruct(_op(operator), [self._emit(left, place), self._emit(right, place)])
            case syntax.Conditional(condition, yes, no):
                return self._instruct(Op.CHOOSE, [self._emit(piece, place) for piece in (condition, yes, no)])
            case syntax.Call(function, _) if FUNCTIONS[function].kind is Kind.TIME:
                return self._looking_back(node, place)
            case syntax.Call(function, _) if FUNCTIONS[function].kind is Kind.ELEMENTWISE:
                return self._by_value(node, place)
            case syntax.Call(_, _):
                return self._over_members(node, place)
        raise TypeError(f"cannot write {type(node).__name__}")

    def _by_value(self, node: syntax.Call, place: Place) -> int:
        rows = [self._emit(argument, place) for argument in node.arguments]
        if node.function == "interest_on":
            yearly = self._instruct(Op.MULTIPLY, rows)
            return self._instruct(Op.DIVIDE, [yearly, self._number(12.0)])
        if node.function == "present_value":
            amount, rate, months = rows
            base = self._instruct(Op.ADD, [self._number(1.0), rate])
            years = self._instruct(Op.DIVIDE, [months, self._number(12.0)])
            return self._instruct(Op.DIVIDE, [amount, self._instruct(Op.POWER, [base, years])])
        op = _op(node.function)
        if node.function == "round" and len(rows) == 1:
            rows.append(self._number(0.0))
        if node.function not in ("min", "max"):
            return self._instruct(op, rows)
        found = rows[0]
        for row in rows[1:]:
            found = self._instruct(op, [found, row])
        return found

    def _looking_back(self, node: syntax.Call, place: Place) -> int:
        looked_at, op = node.arguments[0], _op(node.function)
        row = self._emit(looked_at, place)
        history = self._history(looked_at, place)
        if op in (Op.OUTSTANDING, Op.NET_PRESENT):
            return self._instruct(op, [row, self._emit(node.arguments[1], place)], history)
        if op in (Op.RAMPED, Op.FADING_IN):
            return self._instruct(op, [row], self.profiles[getattr(node.arguments[1], "name", "")], history)
        months = int(getattr(node.arguments[1], "value", 1)) if len(node.arguments) > 1 else 1
        if op in (Op.LAG, Op.LEAD, Op.TRAILING):
            found = self._instruct(op, [row], months, history)
            is_mean = TABLE[node.function].is_mean
            return self._instruct(Op.DIVIDE, [found, self._number(float(months))]) if is_mean else found
        return self._instruct(op, [row])

    def _over_members(self, node: syntax.Call, place: Place) -> int:
        value, function = node.arguments[0], node.function
        if FUNCTIONS[function].kind is Kind.MAPPING:
            return self._mapped(node, place)
        over = [d for d in self.model.dimensions if d.name in self.spreading.taken_together(node)]
        keys = [dict(zip((d.name for d in over), k, strict=True)) for k in product(*(range(len(d)) for d in over))]
        rows = [self._emit(value, place | key) for key in keys]
        if function in ("whole_parts", "whole_flows"):
            first = self._instruct(Op.WHOLE_PARTS if function == "whole_parts" else Op.WHOLE_FLOWS, rows, len(rows))
            return first + keys.index({d.name: place[d.name] for d in over})
        total = self._total(rows)
        if function == "mean_over":
            return self._instruct(Op.DIVIDE, [total, self._number(float(len(rows)))])
        return self._instruct(Op.DIVIDE, [self._emit(value, place), total]) if function == "share_over" else total

    def _mapped(self, node: syntax.Call, place: Place) -> int:
        own, other = (self.model.dimension_by_name[name] for name in self.spreading.mapping(node))
        mapping = own.mapping(other.name)
        if node.function == "spread_to":
            member = mapping[own.members[place[own.name]]]
            return self._emit(node.arguments[0], place | {other.name: other.index(member)})
        target = other.members[place[other.name]]
        inner = [k for k, member in enumerate(own) if mapping[member] == target]
        return self._total([self._emit(node.arguments[0], place | {own.name: k}) for k in inner])

    def _total(self, rows: list[int]) -> int:
        if not rows:
            return self._number(0.0)
        found = rows[0]
        for row in rows[1:]:
            found = self._instruct(Op.ADD, [found, row])
        return found

    def _finished(self) -> Program:
        template = np.zeros((self.row_count, self.months))
        for row, values in self.constants.items():
            template[row] = values
        errors = [error_value(row, self.months) for row in self.failing]
        counters = counter_values(self.model.timeline)
        return Program(
            self.row_count,
            self.months,
            template,
            self.lines,
            self.known,
            np.array(self.code, dtype=np.int64).reshape(-1, COLUMNS),
            np.array(self.sections, dtype=np.int64).reshape(-1, 5),
            np.array(self.watched, dtype=np.int64),
            np.array(self.lists, dtype=np.int64),
            np.stack([*errors, np.full(self.months, np.nan)]),
            np.array(self.tables, dtype=np.int64),
            np.array(self.values),
            counters["fiscal_month"].astype(np.int64),
            self.section_lines,
            self.ends,
        )


def _op(name: str) -> Op:
    op = TABLE[name].op
    if op is None:
        raise TypeError(f"{name} is no single instruction")
    return op


def _terms(node: Node, sign: float) -> list[tuple[float, Node]]:
    match node:
        case syntax.Operation("+" | "-" as operator, left, right):
            return _terms(left, sign) + _terms(right, sign if operator == "+" else -sign)
        case syntax.Negative(operand):
            return _terms(operand, -sign)
    return [(sign, node)]


def _is_own_past(node: Node, name: str) -> bool:
    match node:
        case syntax.Call("before", (syntax.Name(looked_at),)):
            return looked_at == name
        case syntax.Call("before", (syntax.Name(looked_at), syntax.Number(months))):
            return looked_at == name and months == 1
    return False
