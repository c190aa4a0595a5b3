"""A case from another file, fitted in by names: what fits becomes a fork here, the rest is named with its reason."""

from dataclasses import dataclass, replace

from widefork.core.changes import ByAge, Case, Change, Family, Layer, Move, Operation, free_name
from widefork.core.errors import ChangeRefused, InvalidModel, WideforkError
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan


@dataclass(frozen=True)
class Misfit:
    """A step of the other file that cannot be taken, and why."""

    layer: Layer
    why: str


@dataclass(frozen=True)
class Merge:
    """What merging comes to.

    Parameters
    ----------
    family : this model's cases with the one more. case : its name. moves : those that come along with it.
    fitting : the steps taken. misfits : those that are not. otherwise : moves known here that do something else in the
        file; this model's are used.
    """

    family: Family
    case: str
    moves: tuple[Move, ...]
    fitting: tuple[Layer, ...]
    misfits: tuple[Misfit, ...]
    otherwise: tuple[str, ...]


def merge_case(plan: Plan, other: Model, name: str) -> Merge:
    """Return a case of another model as a case of this one: under its parent of the same name, else under the root.

    Where all of it fits and the lines are the same, its figures are those of the file, whatever its parent does here.

    Raises
    ------
    UnknownName: no such case in the other model. InvalidModel: its root, or a file none of whose steps fit.
    """
    model, given = plan.model, other.family.case(name)
    if given.parent is None:
        raise InvalidModel(f"{given.label} is the root of its file; merge a case that forks from it.", f"cases/{name}")
    stack = other.family.layers_of(name)
    moves = {move.name: move for move in other.moves}
    coming: dict[str, Move] = {}
    fitting: list[Layer] = []
    misfits: list[Misfit] = []
    for layer in stack:
        why = _why_not(plan, layer)
        if why:
            misfits.append(Misfit(layer, why))
            continue
        fitting.append(layer)
        if layer.move is not None and layer.move not in model.move_by_name:
            known = {figure.name for figure in model.figures}
            aims = tuple(aim for aim in moves[layer.move].aims if aim.figure in known)
            coming[layer.move] = replace(moves[layer.move], aims=aims)
    if stack and not fitting:
        raise InvalidModel(
            f"Nothing of {given.label} fits this model: {misfits[0].why}. Is it a file of the same model?",
            f"cases/{name}",
        )
    family = replace(model.family, moves={**model.move_by_name, **coming})
    own, label = _free(model, given)
    parent = given.parent if given.parent in model.case_by_name else model.cases[0].name
    case = Case(own, label, parent, note=given.note, weight=given.weight)
    used = {layer.move for layer in fitting if layer.move is not None}
    otherwise = tuple(
        move.label for move in model.moves if move.name in used and moves[move.name].changes != move.changes
    )
    joined = family.joined_by(case, fitting)
    return Merge(joined, own, tuple(coming.values()), tuple(fitting), tuple(misfits), otherwise)


def _free(model: Model, given: Case) -> tuple[str, str]:
    """A name and a label nobody has here yet."""
    labels = {case.label.casefold() for case in model.family.cases}
    label, count = given.label, 2
    while label.casefold() in labels:
        label, count = f"{given.label} {count}", count + 1
    return free_name(given.name, {*model.family.by_name, *model.move_by_name}), label


def _why_not(plan: Plan, layer: Layer) -> str:
    """Why a step cannot be taken here; empty where it can."""
    for change in layer.changes:
        why = _why_not_change(plan, change)
        if why:
            return why
    return ""


def _why_not_change(plan: Plan, change: Change) -> str:
    model = plan.model
    if change.line not in model.line_by_name:
        return f"there is no line {change.line} here"
    line = model.line(change.line)
    try:
        plan.check_changeable(change.line)
        for dimension, member in change.members:
            if dimension not in line.dimensions:
                return f"{line.label} is not spread over {dimension} here"
            model.dimension_by_name[dimension].index(member)
    except ChangeRefused as fault:
        return fault.sentence.rstrip(".")
    except WideforkError as fault:
        return str(fault).rstrip(".")
    if change.operation is Operation.DEFER and not line.is_flow:
        return f"{line.label} is a level here, and cannot be put off"
    if isinstance(change.course, ByAge):
        known = {profile.name: profile.values for profile in model.profiles}
        if known.get(change.course.profile) != change.course.curve:
            return f"the profile {change.course.profile} is not the same here"
    return ""
