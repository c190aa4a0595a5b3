"""A figure weighted over the futures, in words: or why there is none."""

from math import isfinite

from widefork.core.analysis.compare import weighted
from widefork.core.figures import Figure
from widefork.web.shared import formats
from widefork.web.shared.frame import answer_of
from widefork.web.shared.workspace import Snapshot


def weighted_words(figure: Figure, snapshot: Snapshot) -> str:
    """Return the weighted figure with its spread as a sentence; empty where no case has a weight."""
    found = weighted(snapshot.model.cases, answer_of(figure, snapshot))
    if found is None:
        return ""
    if not found.adds_up:
        return f"Weights add to {found.total * 100:g} %, so no weighted figure is shown; make them 100 %."
    if figure.reduction.gives_month:
        return "Months are not averaged, so there is no weighted month."
    if found.missing:
        have = "has" if len(found.missing) == 1 else "have"
        return f"{', '.join(found.missing)} {have} no value, so there is no weighted figure."
    line = snapshot.model.line(figure.line)
    mean, low, high = (formats.figure_text(figure, line, amount) for amount in (found.amount, found.low, found.high))
    spread = f", between {low} and {high} in the {found.futures} futures" if found.futures > 1 else ""
    return f"Weighted: {mean}{spread}."


def weighted_text(figure: Figure, snapshot: Snapshot) -> str:
    """Return the weighted figure alone, for a table; empty where there is none."""
    found = weighted(snapshot.model.cases, answer_of(figure, snapshot))
    if found is None or not isfinite(found.amount):
        return ""
    return formats.figure_text(figure, snapshot.model.line(figure.line), found.amount)
