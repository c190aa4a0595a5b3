"""The steps of all cases as rows of cells: each acts on the row above it where the case chosen takes it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from widefork.core.changes import Change, Operation, Switch, moved
from widefork.core.graph.model import Model
from widefork.files.workbook.pieces import At, Fixed, Piece, Pieces, Ref, so_far


@dataclass
class CaseStep:
    """A change that some cases take, at its turn among those of its line.

    Parameters
    ----------
    cases : those that take it, or would with its move switched on.
    moves : by case, the move it comes with; absent for one of the case's own.
    """

    change: Change
    cases: set[str] = field(default_factory=set)
    moves: dict[str, str] = field(default_factory=dict)

    def is_taken(self, case: str, switched: Mapping[str, frozenset[str]]) -> bool:
        """Return whether a case takes it, given the moves switched on in each case."""
        return case in self.cases and (case not in self.moves or self.moves[case] in switched[case])


@dataclass(frozen=True)
class StepCells:
    """Where what can be changed of a step stands: whether the case chosen takes it, its months, amount, strength."""

    active: Fixed
    first: Fixed
    last: Fixed
    amount: Fixed
    strength: Fixed


def switched_moves(model: Model) -> dict[str, frozenset[str]]:
    """Return the moves switched on in each case, those it inherits among them."""
    return {
        case.name: frozenset(layer.move for layer in model.layers_of(case.name) if layer.move is not None)
        for case in model.cases
    }


def steps_by_line(model: Model) -> dict[str, list[CaseStep]]:
    """Return the steps of every line that has any, in an order in which each case finds its own in turn.

    Moves that wait in a case are behind its own steps, as if switched on last. A change that cases take in different
    orders stands once for each.
    """
    found: dict[str, list[CaseStep]] = {}
    switched = switched_moves(model)
    for case in model.cases:
        chains: dict[str, list[tuple[Change, str | None]]] = {}
        known = [(layer.move, layer.changes) for layer in model.layers_of(case.name)]
        known += [(m.name, moved(m, Switch(m.name))) for m in model.moves if m.name not in switched[case.name]]
        for move, changes in known:
            for change in changes:
                chains.setdefault(change.line, []).append((change, move))
        for line, chain in chains.items():
            _merge(found.setdefault(line, []), chain, case.name)
    return found


def _merge(steps: list[CaseStep], chain: Sequence[tuple[Change, str | None]], case: str) -> None:
    at = 0
    for change, move in chain:
        later = next((place for place in range(at, len(steps)) if steps[place].change == change), None)
        if later is None or case in steps[later].cases:
            steps.insert(at, CaseStep(change))
            later = at
        steps[later].cases.add(case)
        if move is not None:
            steps[later].moves[case] = move
        at = later + 1


def step_pieces(step: CaseStep, before: At, amounts: At | None, cells: StepCells, date: At, is_flow: bool) -> Pieces:
    """Return the formula of a row behind a step.

    Parameters
    ----------
    before : the row the step acts on. amounts : the row of its amounts, where they differ by month.
    date : the row of the months' dates.
    """
    change, own = step.change, Ref(before)
    amount: Piece = Ref(amounts) if amounts is not None else cells.amount
    if change.operation is Operation.DELAY:
        late = _delayed(change, before, date, cells, is_flow)
        return ("IF(", cells.active, "=1,", own, "+(", *late, "-", own, ")*", cells.strength, ",", own, ")")
    if change.operation is Operation.DEFER:
        return _deferred(change, before, date, cells)
    after: Pieces = {
        Operation.SET: (amount,),
        Operation.ADD: (own, "+", amount),
        Operation.SCALE: (own, "*", amount),
        Operation.STOP: ("0",),
    }[change.operation]
    moved = after if change.strength == 1 else (own, "+(", *after, "-", own, ")*", cells.strength)
    asked: Pieces = (cells.active, "=1,", *_during(Ref(date), cells))
    if amounts is not None:
        asked = (*asked, ",ISNUMBER(", amount, ")")
    return ("IF(AND(", *asked, "),", *moved, ",", own, ")")


def _during(date: Piece, cells: StepCells) -> Pieces:
    return (date, ">=", cells.first, ",", date, "<=", cells.last)


def _delayed(change: Change, before: At, date: At, cells: StepCells, is_flow: bool) -> Pieces:
    """A flow happens so many months later; a level holds its earlier value so much longer."""
    by, own = int(change.amount), Ref(before)
    if not is_flow:
        return ("IF(AND(", *_during(Ref(date), cells), "),", Ref(before, -by), ",", own, ")")
    stays = ("IF(AND(", *_during(Ref(date), cells), "),0,", own, ")")
    lands = ("IF(AND(", *_during(Ref(date, -by), cells), "),", Ref(before, -by), ",0)")
    return ("(", *stays, "+", *lands, ")")


def _deferred(change: Change, before: At, date: At, cells: StepCells) -> Pieces:
    """A share is put off, and caught up evenly in the months after."""
    own, months = Ref(before), so_far(date)
    catch_up = change.catch_up_months
    put_off = ("SUMIFS(", *so_far(before), ",", *months, ',">="&', cells.first, ",", *months, ',"<="&', cells.last, ")")
    share: Pieces = ("*", cells.amount, "*", cells.strength)
    caught_up = ("AND(", Ref(date), ">", cells.last, ",", Ref(date), "<=EDATE(", cells.last, f",{catch_up}))")
    later = ("IF(", *caught_up, ",", *put_off, *share, f"/{catch_up},0)")
    off = ("IF(AND(", *_during(Ref(date), cells), "),", own, *share, ",0)")
    return ("IF(", cells.active, "=1,", own, "-", *off, "+", *later, ",", own, ")")


def amounts_of(step: CaseStep, model: Model) -> Mapping[int, float] | None:
    """Return a step's amounts by month's place where they differ by month; None where one amount holds."""
    change = step.change
    if change.course is None or change.first is None:
        return None
    timeline = model.timeline
    count = timeline.end.ordinal - change.first.ordinal + 1
    if count <= 0:
        return {}  # it begins behind the plan's last month
    values = change.course.values(count, change.amount, timeline.fiscal_year_start)
    begin = change.first.ordinal - timeline.start.ordinal
    return {begin + at: float(value) for at, value in enumerate(values) if value == value and begin + at >= 0}
