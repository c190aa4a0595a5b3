"""The figures that stand in cells until a program recalculates them: those of the case chosen, in every row."""

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension
from widefork.core.graph.calculate import Results
from widefork.core.graph.formulas import FormulaValues
from widefork.core.graph.given import ruled_values, with_changes
from widefork.core.lines import Line, MemberKey
from widefork.files.workbook.steps import CaseStep

Values = NDArray[np.float64]


class Cached:
    """Values of rows in one entry of an evaluation.

    Parameters
    ----------
    results : of a batch with one entry a case. entry : the place of the case chosen.
    """

    def __init__(self, results: Results, entry: int) -> None:
        self.results, self.entry = results, entry
        self.plan, self.model = results.plan, results.plan.model
        self.arrays = {
            name: values[..., [entry if values.shape[-1] > 1 else 0]] for name, values in results.arrays.items()
        }
        self.formulas = FormulaValues(self.model, self.arrays)
        self.months = self.model.timeline.month_count

    def line(self, name: str, key: MemberKey) -> Values:
        """Return a line's months."""
        return self.results.series(name, key, self.entry)

    def piece(self, name: str, key: MemberKey, dimensions: Sequence[Dimension]) -> Values:
        """Return the months of a piece of a formula; ``dimensions`` : of the key, in its order."""
        return self._at(self.arrays[name], dict(zip((d.name for d in dimensions), key, strict=True)))

    def before_steps(self, line: Line) -> Values:
        """Return what a line's rule or formula says by itself, shape (members or 1..., months, 1)."""
        shape = (*(len(d) if d.name in line.dimensions else 1 for d in self.model.dimensions), self.months, 1)
        if line.is_given:
            return ruled_values(line, self.model)
        if line.name in self.plan.problems:
            return np.full(shape, np.nan)
        with np.errstate(all="ignore"):
            own = self.formulas.value_of(self.plan.computed[line.name], slice(0, self.months))
        return np.broadcast_to(own, shape)

    def after_steps(self, line: Line, steps: Sequence[CaseStep], taken: Sequence[bool]) -> Iterator[Values]:
        """Return a line's values after each of its steps in turn; those that are not taken change nothing."""
        values = self.before_steps(line)
        for step, is_taken in zip(steps, taken, strict=True):
            if is_taken:
                values = with_changes(line, self.model, values, [(step.change,)])
            yield values

    def of_member(self, line: Line, values: Values, key: MemberKey) -> Values:
        """Return one member's months among such values, shape (months,)."""
        return self._at(values, dict(zip(line.dimensions, key, strict=True)))

    def _at(self, values: Values, members: dict[str, str]) -> Values:
        places = tuple(
            d.index(members[d.name]) if d.name in members and values.shape[axis] > 1 else 0
            for axis, d in enumerate(self.model.dimensions)
        )
        return np.broadcast_to(values[places][:, 0], (self.months,))
