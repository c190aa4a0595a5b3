"""Beginning to value the business: the schedule of it, and the figure watched, from a few fields."""

from collections.abc import Mapping
from typing import Any

from flask import Response

from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.schedules.worth.schedule import KIND
from widefork.store.edits import add_figure, add_schedule, together
from widefork.web.shared import formats
from widefork.web.shared.context import View, make_edit, refuse_sketch
from widefork.web.shared.naming import name_from

VALUE = ("rate", "within_month", "beyond", "growth", "multiple", "leases")
"""Fields of the form."""
LABEL = "Worth of the business"
OWNERS = "Worth to the owners"


def start_valuing(view: View, form: Mapping[str, str]) -> Response:
    """Add the schedule of worth and the figure of what it is worth to the owners.

    Raises
    ------
    InvalidValue: a field that cannot be read, or a business that is valued already. SketchRefused: a sketch is on.
    """
    refuse_sketch(view)
    model = view.snapshot.model
    if any(schedule.kind == KIND for schedule in model.schedules):
        raise InvalidValue("The business is valued already; its rate and all else stand under Terms.")
    settings: dict[str, Any] = {"rate": _percent(form.get("rate", ""), "The discount rate")}
    for key in ("within_month", "beyond", "leases"):
        settings |= {key: form[key]} if form.get(key) else {}
    if settings.get("beyond") == "multiple":
        settings["multiple"] = formats.read_number(form.get("multiple", ""))
    elif settings.get("beyond") != "nothing":
        settings["growth"] = _percent(form.get("growth", ""), "Growth")
    taken = {schedule.name for schedule in model.schedules} | {section.name for section in model.sections}
    taken |= {line.name.split("_")[0] for line in model.lines}
    name = name_from(KIND, taken)
    figures = {figure.name for figure in model.figures} | {figure.label for figure in model.figures}
    first = model.timeline.first_plan
    owners = Figure(name_from(f"{name} owners", figures), OWNERS, f"{name}_equity", (), first, None, Reduction.SUM)
    sentence = f"{LABEL}: free cash flow discounted at {settings['rate'] * 100:g} % a year"
    steps = [add_schedule(KIND, name, LABEL, settings, sentence)]
    if OWNERS not in figures:
        steps.append(add_figure(owners, sentence))
    return make_edit(view.address.model_id, together(steps, sentence))


def _percent(text: str, what: str) -> float:
    try:
        return formats.read_number(text.strip().removesuffix("%").strip()) / 100
    except InvalidValue as fault:
        raise InvalidValue(f"{what} is a share a year, like 12 %. {fault.sentence}") from fault
