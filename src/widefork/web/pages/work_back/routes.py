"""Work back over HTTP: the question as an address, and keeping the answer."""

from math import isfinite

from flask import Blueprint, Response, request

from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue, WideforkError
from widefork.web.pages.work_back.question import Question, read_question
from widefork.web.pages.work_back.view import build
from widefork.web.shared import formats
from widefork.web.shared.context import change_values, open_view, render_page, sentence_of

BLUEPRINT = Blueprint("work_back", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/work_back")
def show(model_id: int) -> str:
    """Show the question, and its answer once it is asked."""
    view = open_view(model_id, "work_back")
    question: Question = read_question(view, request.args)
    answer, fault = None, question.fault
    if question.goal is not None and "ask" in request.args:
        try:
            answer = build(view, question.goal)
        except WideforkError as wrong:
            fault = sentence_of(wrong)
    return render_page(view, "work_back/page.html", question=question, answer=answer, fault=fault)


@BLUEPRINT.post("/m/<int:model_id>/work_back/keep")
def keep(model_id: int) -> Response:
    """Keep the amount found in the case it was found in."""
    view = open_view(model_id, "work_back")
    form = request.form
    model = view.snapshot.model
    case = model.case(form.get("case", ""))
    line = model.line(form.get("line", ""))
    operation = formats.read_choice(Operation, form.get("operation", ""), "the operation")
    amount = _amount(form.get("amount", ""))
    change = Change(line.name, operation, amount, note="worked back")
    shown = formats.amount(change.amount, line.unit) if change.operation is Operation.SET else f"× {change.amount:.6g}"
    return change_values(view, case.name, [change], f"{line.label}: {shown} in {case.label}, worked back")


def _amount(text: str) -> float:
    """The amount of an answer, as the page wrote it into its own form."""
    try:
        amount = float(text)
    except ValueError:
        amount = float("nan")
    if not isfinite(amount):
        raise InvalidValue("The answer has got lost on the way. Ask again, then keep it.")
    return amount
