"""Work back over HTTP: the sentence as an address, its answers, and keeping them."""

from contextlib import suppress

from flask import Blueprint, Response, render_template, request

from widefork.core.errors import UnknownName, WideforkError
from widefork.store.edits import unpin_goal
from widefork.web.pages.work_back.answer import (
    build_alone,
    build_cases,
    build_instead,
    build_one,
    build_several,
    is_smallest,
)
from widefork.web.pages.work_back.keep import TRIED, keep_answer, note_asked, pin, steps_of
from widefork.web.pages.work_back.opening import answer_row, build_before, build_table, waiting_row
from widefork.web.pages.work_back.sentence import SENTENCE, Asked, offered_figures, read_asked
from widefork.web.pages.work_back.worth import build_moves, build_worth, start_valuing
from widefork.web.shared.context import (
    NotYet,
    View,
    back_to,
    in_pieces,
    make_edit,
    open_view,
    refuse_sketch,
    render_page,
    sentence_of,
    with_sentence,
)
from widefork.web.shared.goals import goal_lines
from widefork.web.shared.lever_words import lever_phrases
from widefork.web.shared.trial import under_trial

BLUEPRINT = Blueprint(
    "work_back",
    __name__,
    template_folder="templates",
    static_folder="static",
    static_url_path="/static/pages/work_back",
)


@BLUEPRINT.get("/m/<int:model_id>/work_back")
def show(model_id: int) -> str:
    """Show the sentence; with its answer once it is asked, else what can be asked."""
    view = open_view(model_id, "work_back")
    base = under_trial(view, TRIED)
    if request.args.get("view") == "worth":
        return render_page(view, "work_back/worth.html", worth=build_worth(base), tabs=_tabs(view, "worth"))
    asked = read_asked(base, request.args)
    one = several = None
    fault = asked.fault if asked.is_asked else ""
    if asked.is_asked and not asked.fault:
        try:
            if is_smallest(asked):
                several = build_several(base, asked)
            else:
                one = build_one(base, asked)
        except WideforkError as refused:
            fault = sentence_of(refused)
    is_open = one is None and several is None
    model = base.snapshot.model
    return render_page(
        view, "work_back/page.html", asked=asked, one=one, several=several, fault=fault,
        figures=offered_figures(model), leads=lever_phrases(model), query=asked.query(),
        ready=build_table(base) if is_open else None, goals=goal_lines(base) if is_open else (),
        before=build_before(base) if is_open else (), tabs=_tabs(view, ""),
    )  # fmt: skip


def _tabs(view: View, shown: str) -> tuple[tuple[str, str, bool], ...]:
    """The tabs: label, address, and whether it is the one shown."""
    keys = (("Work back", ""), ("Worth", "worth"))
    return tuple((label, view.address.plain.url(view=key), key == shown) for label, key in keys)


@BLUEPRINT.get("/m/<int:model_id>/work_back/moves")
@in_pieces
def moves(model_id: int) -> str:
    """Show what every move is worth: worked out by itself."""
    view = under_trial(open_view(model_id, "work_back"), TRIED)
    return render_template("work_back/_worth_moves.html", rows=build_moves(view))


@BLUEPRINT.post("/m/<int:model_id>/work_back/value")
def value(model_id: int) -> Response:
    """Begin to value the business."""
    return start_valuing(open_view(model_id, "work_back"), request.form)


@BLUEPRINT.post("/m/<int:model_id>/work_back/ask")
def ask(model_id: int) -> Response:
    """Ask the sentence: it is noted among those asked before, or its goal is kept."""
    view = open_view(model_id, "work_back")
    base = under_trial(view, TRIED)
    asked = read_asked(base, request.form)
    do = request.form.get("do", "")
    if do == "pin":
        return pin(view, asked)
    if do:
        return with_sentence(back_to(None), SENTENCE, asked.with_more(view.snapshot.model, do), is_asked=False)
    with suppress(WideforkError):  # the page says what is wrong where it stands
        note_asked(base, asked)
    return with_sentence(back_to(None), SENTENCE, asked.pairs())


@BLUEPRINT.get("/m/<int:model_id>/work_back/ready")
@in_pieces
def ready(model_id: int) -> str:
    """Show one ready question with its answers: worked out by itself."""
    view = under_trial(open_view(model_id, "work_back"), TRIED)
    number = request.args.get("number", "")
    if not number.isdecimal() or len(number) > 3 or (row := waiting_row(view, int(number))) is None:
        raise UnknownName("question", number, [])
    with suppress(NotYet):
        return render_template("work_back/_ready_row.html", row=answer_row(view, row.number))
    return render_template("work_back/_ready_waiting.html", row=row, trigger="load delay:500ms")


@BLUEPRINT.get("/m/<int:model_id>/work_back/cases")
@in_pieces
def cases(model_id: int) -> str:
    """Show the answer of every case: worked out by itself."""
    view, asked = _answerable(model_id)
    return render_template("work_back/_cases.html", rows=build_cases(view, asked), address=view.address, asked=asked)


@BLUEPRINT.get("/m/<int:model_id>/work_back/instead")
@in_pieces
def instead(model_id: int) -> str:
    """Show which assumptions could reach the goal alone: worked out by itself."""
    view, asked = _answerable(model_id)
    rows = build_instead(view, asked) if not is_smallest(asked) else ()
    return render_template("work_back/_instead.html", rows=rows, address=view.address, asked=asked)


@BLUEPRINT.get("/m/<int:model_id>/work_back/alone")
@in_pieces
def alone(model_id: int) -> str:
    """Show what each of several would need alone, and the others without it: worked out by itself."""
    view, asked = _answerable(model_id)
    return render_template("work_back/_alone.html", rows=build_alone(view, asked))


def _answerable(model_id: int) -> tuple[View, Asked]:
    view = under_trial(open_view(model_id, "work_back"), TRIED)
    asked = read_asked(view, request.args)
    asked.refuse_fault()
    return view, asked


@BLUEPRINT.post("/m/<int:model_id>/work_back/keep")
def keep(model_id: int) -> Response:
    """Keep an answer: in the case, in a sketch, as a move or as a case of its own."""
    view = open_view(model_id, "work_back")
    base = under_trial(view, TRIED)
    asked = read_asked(base, request.form)
    asked.refuse_fault()
    form = request.form
    steps, said = steps_of(base, asked, form.getlist("amount"))
    return keep_answer(view, asked, form.get("do", ""), form.get("label", ""), steps, said)


@BLUEPRINT.post("/m/<int:model_id>/work_back/unpin")
def unpin(model_id: int) -> Response:
    """Keep a goal no longer."""
    view = open_view(model_id, "work_back")
    refuse_sketch(view)
    model, name = view.snapshot.model, request.form.get("name", "")
    goal = next((goal for goal in model.goals if goal.name == name), None)
    if goal is None:
        raise UnknownName("goal", name, [goal.name for goal in model.goals])
    label = model.figure(goal.figure).label
    return make_edit(model_id, unpin_goal(goal.name, f"{label}: kept as a goal no longer"))
