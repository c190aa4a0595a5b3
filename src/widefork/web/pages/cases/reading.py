"""What the views of the page share: the cases' steps, what each moves, what does nothing, who wrote it."""

from collections.abc import Mapping
from functools import cached_property

from widefork.core.analysis.idle import Idle, idle_changes
from widefork.core.analysis.walk import Walk, walk_cases
from widefork.core.changes import Case, Family, Layer
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.store.log import Author
from widefork.web.shared.context import View, store


class Reading:
    """The cases of a view, each thing worked out once for its snapshot.

    Parameters
    ----------
    figure : the one chosen, None where the model has none.
    """

    def __init__(self, view: View, chosen: str) -> None:
        self.view = view
        self.model: Model = view.snapshot.model
        self.family: Family = self.model.family
        named = [figure for figure in self.model.figures if figure.name == chosen]
        pinned = [figure for figure in self.model.figures if figure.is_pinned]
        self.figure: Figure | None = next(iter([*named, *pinned, *self.model.figures]), None)

    @property
    def case(self) -> Case:
        """The active case."""
        return self.model.case(self.view.address.case)

    @cached_property
    def walks(self) -> Mapping[str, Walk]:
        """The chosen figure along the steps of every case; empty without a figure."""
        figure = self.figure
        if figure is None:
            return {}
        return self.view.snapshot.kept(("walks", figure), lambda: walk_cases(self.view.snapshot.plan, figure))

    @cached_property
    def authors(self) -> Mapping[str, tuple[Author | None, ...]]:
        """Who last wrote each of a case's own steps."""
        model_id = self.view.address.model_id
        return self.view.snapshot.kept("step authors", lambda: store().step_authors(model_id))

    def author(self, layer: Layer) -> Author | None:
        """Return who last wrote a step; None for one that came with the model."""
        case, known = self.family.case(layer.case), self.authors.get(layer.case, ())
        place = self.place(layer)
        return known[place] if place is not None and len(known) == len(case.steps) else None

    def place(self, layer: Layer) -> int | None:
        """Return a step's place among its case's own; None for what a sketch tries."""
        steps = self.family.case(layer.case).steps
        return next((place for place, step in enumerate(steps) if step is layer.step), None)

    def idle(self, case: str) -> Mapping[int, Idle]:
        """Return which of a case's steps, by their place among its layers, do nothing at all, and why."""
        return self.view.snapshot.kept(("idle", case), lambda: self._idle(case))

    def _idle(self, case: str) -> Mapping[int, Idle]:
        stack = self.family.layers_of(case)
        owners = [place for place, layer in enumerate(stack) for _ in layer.changes]
        plan = self.view.snapshot.plan
        found: dict[int, list[Idle]] = {}
        for idle in idle_changes(plan, [change for layer in stack for change in layer.changes]):
            if idle.is_whole:
                found.setdefault(owners[idle.place], []).append(idle)
        return {place: idles[0] for place, idles in found.items() if len(idles) == len(stack[place].changes)}
