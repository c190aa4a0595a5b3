"""Phrases the sentence offers: stored figures, and usual ones of the statements."""

from widefork.core.analysis.goal_seek import figure_phrase
from widefork.core.analysis.grid import line_phrase
from widefork.core.graph.model import Model

USUAL = ("revenue", "gross_profit", "ebitda", "net_profit", "operating_cash_flow")
CASH = "cash_after_overdraft"


def offered_figures(model: Model) -> tuple[str, ...]:
    """Return phrases of figures that can be asked about, the stored ones first."""
    stored = [figure.label for figure in model.figures]
    known = {figure_phrase(model, figure) for figure in model.figures}
    years = [year for year in model.timeline.fiscal_years() if year.last >= model.timeline.first_plan]
    found = [
        f"{line_phrase(model, name)} in {year.label}"
        for name in USUAL
        if name in model.line_by_name
        for year in years
        if not year.is_cut
    ]
    if CASH in model.line_by_name:
        cash = line_phrase(model, CASH)
        found += [f"lowest {cash}", *(f"{cash} in {year.last.label}" for year in years)]
    if "net_profit" in model.line_by_name:
        found.append(f"first month in which {line_phrase(model, 'net_profit')} above 0")
    return (*stored, *(phrase for phrase in dict.fromkeys(found) if phrase not in known))
