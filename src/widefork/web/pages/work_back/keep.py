"""Keeping an answer: in the case, tried in a sketch, as a move, or as a case of its own; and pinning a goal."""

from math import isfinite

from flask import Response

from widefork.core.analysis.goal_seek import figure_phrase
from widefork.core.analysis.lever import OneLever
from widefork.core.changes import Case, Change, Move, Operation, Step, Switch
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.goals import PinnedGoal
from widefork.core.graph.model import Model
from widefork.store.edits import add_case, add_move, change_cells, pin_goal, set_switch, together
from widefork.store.shelf import Asked as AskedBefore
from widefork.web.pages.work_back.answer import amount_words, build_one, build_several, is_smallest, solved
from widefork.web.pages.work_back.sentence import Asked
from widefork.web.pages.work_back.sentence.asked import lever_labels
from widefork.web.shared.context import (
    LONGEST_NAME,
    View,
    back_to,
    change_values,
    make_edit,
    person,
    refuse_sketch,
    store,
    try_in_sketch,
    with_query,
)
from widefork.web.shared.goal_words import target_words
from widefork.web.shared.naming import name_from

TRIED = "Work back: "
"""What begins the sentences of what this page puts into a sketch."""
NOTE = "worked back"
LONGEST_NOTE = 400


def steps_of(view: View, asked: Asked, amounts: list[str]) -> tuple[tuple[Step, ...], str]:
    """Return what an answer does, and that in words.

    Parameters
    ----------
    amounts : as the page wrote them into its own form: of the lever, of the share of several, or of each.

    Raises
    ------
    InvalidValue: amounts that are none of these.
    """
    numbers = [_amount(text) for text in amounts]
    model = view.snapshot.model
    if is_smallest(asked):
        if len(numbers) != len(asked.spanned):
            raise InvalidValue("The answer has got lost on the way. Ask again, then keep it.")
        pulled = [
            (each.label, each.lever, amount, amount != each.now)
            for each, amount in zip(asked.spanned, numbers, strict=True)
        ]
        moved = [(label, lever, amount) for label, lever, amount, is_moved in pulled if is_moved]
        steps = [step for _, lever, amount in moved for step in lever.steps(amount)]
        return _noted(steps), ", ".join(_said(model, *each) for each in moved)
    if len(numbers) != 1 or not asked.spanned:
        raise InvalidValue("The answer has got lost on the way. Ask again, then keep it.")
    lever = solved(view, asked, view.address.case).goal.lever
    words = f"{lever_labels(asked.levers)} {amount_words(model, lever, numbers[0], is_exact=True)}"
    return _noted(list(lever.steps(numbers[0]))), words


def _said(model: Model, label: str, lever: OneLever, amount: float) -> str:
    return f"{label} {amount_words(model, lever, amount, is_exact=True)}"


def _noted(steps: list[Step]) -> tuple[Step, ...]:
    """The same steps, the changes noted as worked back, and no change that does nothing."""
    neutral = {Operation.SCALE: 1.0, Operation.ADD: 0.0, Operation.DELAY: 0.0}
    found: list[Step] = []
    for step in steps:
        if isinstance(step, Switch):
            found.append(step)
        elif neutral.get(step.operation) != step.amount:
            found.append(Change(step.line, step.operation, step.amount, step.members, step.first, step.last, NOTE))
    return tuple(found)


def _amount(text: str) -> float:
    try:
        amount = float(text)
    except ValueError:
        amount = float("nan")
    if not isfinite(amount):
        raise InvalidValue("The answer has got lost on the way. Ask again, then keep it.")
    return amount


def keep_answer(view: View, asked: Asked, do: str, label: str, steps: tuple[Step, ...], said: str) -> Response:
    """Keep what an answer does.

    Parameters
    ----------
    do : ``case`` for the case it was asked in, ``sketch``, ``move`` or ``new`` for a case of its own.

    Raises
    ------
    InvalidValue: nothing to keep, or no name. SketchRefused: a sketch stands in the way. And what the store raises.
    """
    model, case = view.snapshot.model, view.address.case
    if not steps:
        raise InvalidValue("Nothing needs to change, so there is nothing to keep.")
    shown = model.case(case).label
    goal = asked.goal.wanted
    why = f"{NOTE}: {goal.figure.label} {target_words(model, goal)}" if goal is not None else NOTE
    match do:
        case "sketch":
            try_in_sketch(view, case, steps, TRIED, said)
            return back_to(None)
        case "new":
            refuse_sketch(view)
            name, title = _named(model, label, "case")
            fork = Case(name, title, case, steps, note=f"{why}; {said}"[:LONGEST_NOTE])
            response = make_edit(view.address.model_id, add_case(fork, f"{title}: forked from {shown}"))
            return with_query(response, case=name)
        case "move":
            refuse_sketch(view)
            return _as_move(view, label, steps, why)
    changes = [step for step in steps if isinstance(step, Change)]
    sentence = f"{said} in {shown}, {NOTE}"
    if len(changes) == len(steps):
        return change_values(view, case, changes, sentence)
    refuse_sketch(view)
    switched = [set_switch(case, step, sentence) for step in steps if isinstance(step, Switch)]
    applies = [*switched, *([change_cells(case, changes, sentence)] if changes else [])]
    return make_edit(view.address.model_id, together(applies, sentence))


def _as_move(view: View, label: str, steps: tuple[Step, ...], why: str) -> Response:
    model, case = view.snapshot.model, view.address.case
    if any(isinstance(step, Switch) for step in steps):
        raise InvalidValue("This answer is about a move already; keep it in the case, or as a case of its own.")
    changes = tuple(step for step in steps if isinstance(step, Change))
    name, title = _named(model, label, "move")
    start = min((change.first for change in changes if change.first is not None), default=model.timeline.first_plan)
    move = Move(name, title, start, changes, note=why[:LONGEST_NOTE])
    sentence = f"{title}: a move, on in {model.case(case).label}"
    return make_edit(view.address.model_id, add_move(move, sentence, case))


def _named(model: Model, label: str, what: str) -> tuple[str, str]:
    title = " ".join(label.split())
    if not title or len(title) > LONGEST_NAME:
        raise InvalidValue(f"Give the {what} a name of 1 to {LONGEST_NAME} letters.")
    return name_from(title, {*model.case_by_name, *model.move_by_name}), title


def pin(view: View, asked: Asked) -> Response:
    """Keep the goal of the sentence with the model; its figure is stored where it is not yet.

    Raises
    ------
    InvalidValue: a goal that cannot be read, or one kept already. SketchRefused: a sketch is on.
    """
    refuse_sketch(view)
    model, wanted, case = view.snapshot.model, asked.goal.wanted, view.address.case
    if wanted is None:
        raise InvalidValue(asked.goal.fault)
    figure = wanted.figure
    if figure in model.figures:
        stored = None
    else:
        label = figure_phrase(model, figure)
        label = label[:1].upper() + label[1:]
        taken = {each.name for each in model.figures}
        stored = Figure(
            name_from(label, taken), label, figure.line, figure.members, figure.first, figure.last, figure.reduction,
            figure.comparison, figure.threshold,
        )  # fmt: skip
        figure = stored
    twin = next((g for g in model.goals if (g.figure, g.sense, g.target, g.case) ==
                 (figure.name, wanted.sense, wanted.target, case)), None)  # fmt: skip
    if twin is not None:
        raise InvalidValue(f"{figure.label} {target_words(model, wanted)} is kept already for this case.")
    name = name_from(figure.label, {goal.name for goal in model.goals})
    goal = PinnedGoal(name, figure.name, wanted.sense, wanted.target, case)
    words = f"{figure.label} {target_words(model, wanted)} in {model.case(case).label}: kept as a goal"
    return make_edit(view.address.model_id, pin_goal(goal, words, stored))


def note_asked(view: View, asked: Asked) -> None:
    """Note the question with its answer among those asked before; one that cannot be answered is not noted."""
    if asked.fault:
        return
    short = (build_several(view, asked) if is_smallest(asked) else build_one(view, asked)).short
    model = view.snapshot.model
    goals = ", while ".join(f"{w.figure.label} {target_words(model, w)}" for w in asked.wanted)
    case = model.case(view.address.case).label
    sentence = f"{goals}, by {lever_labels(asked.levers)} in {case}"
    query = asked.query()
    if view.address.case != model.cases[0].name:
        query = f"case={view.address.case}&{query}"
    store().shelf.note_asked(
        view.address.model_id, AskedBefore(query, sentence, short, person(), revision=view.snapshot.revision)
    )
