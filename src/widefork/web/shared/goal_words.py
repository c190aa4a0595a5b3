"""What is wanted of a figure, and how far it is from it, in words."""

from math import isfinite

from widefork.core.analysis.goal_seek import Sense, Wanted
from widefork.core.graph.model import Model
from widefork.web.shared import formats


def figure_words(model: Model, wanted: Wanted, value: float) -> str:
    """Return a value of a figure; a month that never comes says so."""
    if wanted.figure.reduction.gives_month and value == float("inf"):
        return "not in the plan"
    return formats.figure_text(wanted.figure, model.line(wanted.figure.line), value)


def target_words(model: Model, wanted: Wanted) -> str:
    """Return what a figure is to be: ``at least 100,000``, ``by Mar 28``."""
    value = figure_words(model, wanted, wanted.target)
    if wanted.figure.reduction.gives_month:
        return {Sense.AT_MOST: f"by {value}", Sense.AT_LEAST: f"not before {value}"}.get(wanted.sense, f"in {value}")
    return f"{wanted.sense.value} {value}"


def room_words(model: Model, wanted: Wanted, value: float) -> str:
    """Return what a goal has to spare, or is short of."""
    room = wanted.room(value)
    if not isfinite(room):
        return formats.NO_VALUE
    if wanted.figure.reduction.gives_month:
        months = int(abs(room))
        return "to the month" if not months else f"{months} month{'' if months == 1 else 's'}"
    line = model.line(wanted.figure.line)
    return formats.figure_text(wanted.figure, line, abs(room))
