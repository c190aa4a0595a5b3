"""Figures weighted by how probable the cases are: reduced in each case first, then weighted; months never averaged."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite, nan

from widefork.core.analysis.figures import Answer
from widefork.core.changes import Case


@dataclass(frozen=True)
class Weighted:
    """A figure over the cases that are futures.

    Parameters
    ----------
    amount : the weighted mean, in the figure's unit; NaN where weights do not add to 1, one has no value, or the figure
        is a month.
    low, high : the least and the most among the futures; NaN likewise. total : of the weights.
    futures : how many. missing : labels of those without a value.
    """

    amount: float
    low: float
    high: float
    total: float
    futures: int
    missing: tuple[str, ...]

    @property
    def adds_up(self) -> bool:
        """Whether the weights add to 1."""
        return abs(self.total - 1) <= 1e-9


def weighted(cases: Sequence[Case], found: Answer) -> Weighted | None:
    """Return a figure weighted over the cases that have a weight; None where none has.

    Parameters
    ----------
    cases : in the order of the answer's batch.
    """
    pairs = zip(cases, found.amounts, strict=True)
    futures = [(case, float(amount)) for case, amount in pairs if case.weight is not None]
    if not futures:
        return None
    total = sum(case.weight or 0.0 for case, _ in futures)
    is_month = found.figure.reduction.gives_month
    missing = tuple(case.label for case, amount in futures if not isfinite(amount)) if not is_month else ()
    if is_month or missing or abs(total - 1) > 1e-9:
        return Weighted(nan, nan, nan, total, len(futures), missing)
    amounts = [amount for _, amount in futures]
    mean = sum((case.weight or 0.0) * amount for case, amount in futures)
    return Weighted(mean, min(amounts), max(amounts), total, len(futures), ())
