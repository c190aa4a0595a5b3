"""Cases as a family: given another parent, adopted by the root, with steps dropped, put back, moved and bundled.

Every function takes all cases of a model and returns them changed. A case whose inheritance changes can keep its
numbers: it drops what it would inherit anew, and takes over as steps of its own what it inherits no longer.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from widefork.core.changes.case import Case, Layer, Step, layers
from widefork.core.changes.change import Change
from widefork.core.changes.move import Move, Switch
from widefork.core.errors import InvalidModel, UnknownName

Moves = Mapping[str, Move]


@dataclass(frozen=True)
class Family:
    """The cases of a model, parents anywhere in the list, and the moves they switch on.

    Parameters
    ----------
    cases : in the order of the model, archived ones among them.
    """

    cases: tuple[Case, ...]
    moves: Moves

    @cached_property
    def by_name(self) -> Mapping[str, Case]:
        """Cases by name."""
        return {case.name: case for case in self.cases}

    @cached_property
    def _layers(self) -> dict[str, tuple[Layer, ...]]:
        """What was asked for so far."""
        return {}

    def case(self, name: str) -> Case:
        """Return a case; raise UnknownName."""
        if name not in self.by_name:
            raise UnknownName("case", name, self.by_name)
        return self.by_name[name]

    def layers_of(self, name: str) -> tuple[Layer, ...]:
        """Return the steps a case is made of, inherited ones first."""
        if name not in self._layers:
            self._layers[name] = layers(self.by_name, self.moves, name)
        return self._layers[name]

    def inherited(self, name: str) -> tuple[Layer, ...]:
        """Return what a case inherits, before its own drops."""
        parent = self.case(name).parent
        return () if parent is None else self.layers_of(parent)

    def forks_of(self, name: str) -> tuple[str, ...]:
        """Return the names of all cases below one, each behind its parent."""
        found: list[str] = []
        for case in self.cases:
            if case.parent == name:
                found += [case.name, *self.forks_of(case.name)]
        return tuple(found)

    @property
    def parents_first(self) -> tuple[Case, ...]:
        """All cases, each behind the one it forks from."""
        roots = [case.name for case in self.cases if case.parent is None]
        return tuple(self.case(name) for root in roots for name in (root, *self.forks_of(root)))

    def with_case(self, case: Case) -> "Family":
        """Return the family with one case in place of the one of its name."""
        return replace(self, cases=tuple(case if known.name == case.name else known for known in self.cases))

    # what a case drops

    def dropped_by(self, name: str) -> tuple[Layer, ...]:
        """Return the inherited steps a case drops."""
        drops = self.case(name).drops
        return tuple(layer for layer in self.inherited(name) if layer.name and layer.name in drops)

    def dropping(self, name: str, dropped: Layer) -> "Family":
        """Return the family with an inherited step dropped in a case; a change gets a name to be dropped by.

        A start or strength the case gave a move it inherits goes with it.
        """
        family, wanted = self._named(dropped)
        case = family.case(name)
        if wanted in case.drops:
            return family
        steps = tuple(step for step in case.steps if not (isinstance(step, Switch) and step.move == dropped.move))
        return family.with_case(replace(case, steps=steps, drops=(*case.drops, wanted)))

    def putting_back(self, name: str, drop: str) -> "Family":
        """Return the family with a dropped step inherited again; a step of the case's own for the same move goes."""
        case = self.case(name)
        if drop not in case.drops:
            raise UnknownName("dropped step", drop, case.drops)
        steps = tuple(step for step in case.steps if not (isinstance(step, Switch) and step.move == drop))
        return self.with_case(replace(case, steps=steps, drops=tuple(one for one in case.drops if one != drop)))

    # a case's own steps

    def with_steps(self, name: str, steps: Iterable[Step]) -> "Family":
        """Return the family with other steps in a case; what is dropped further down and is gone is dropped no more."""
        return self.with_case(replace(self.case(name), steps=tuple(steps)))._without_idle_drops(name)

    def bundled(self, name: str, places: Iterable[int], move: Move) -> "Family":
        """Return the family with some of a case's own changes made a move, switched on where the first of them stood.

        A fork that dropped one of them keeps its numbers.

        Parameters
        ----------
        places : of its own steps, from 0. move : its changes are given here.

        Raises
        ------
        InvalidModel: one of them is a move itself. UnknownName: no such place.
        """
        case, chosen = self.case(name), sorted(set(places))
        steps = {place: step_at(case, place) for place in chosen}
        changes = tuple(step for step in steps.values() if isinstance(step, Change))
        if len(changes) < len(chosen) or not chosen:
            said = "A move is made of changes; choose changes only." if chosen else "Choose the changes first."
            raise InvalidModel(said, f"cases/{name}")
        bundle = replace(move, changes=tuple(_unnamed(change) for change in changes))
        kept = [step for place, step in enumerate(case.steps) if place not in steps]
        kept.insert(chosen[0], Switch(move.name))
        names = {change.name for change in changes if change.name}
        forks = [fork for fork in self.forks_of(name) if names.intersection(self.case(fork).drops)]
        family = replace(self, moves={**self.moves, move.name: bundle}).with_case(replace(case, steps=tuple(kept)))
        bare = (replace(c, drops=tuple(d for d in c.drops if d not in names)) for c in family.cases)
        return replace(family, cases=tuple(bare))._keeping(self, forks)

    # another parent

    def under(self, name: str, parent: str, keeps_numbers: bool) -> "Family":
        """Return the family with a case under another parent, and its forks with it.

        Parameters
        ----------
        keeps_numbers : it drops what it would inherit anew, and takes over what it inherits no longer. Otherwise its
            own steps act on what the new parent is.

        Raises
        ------
        InvalidModel: the root, a case under itself or under one that forks from it.
        """
        case, target = self.case(name), self.case(parent)
        place = f"cases/{name}"
        if case.parent is None:
            raise InvalidModel(f"{case.label} is the root; every case forks from it, so it forks from none.", place)
        if parent in (name, *self.forks_of(name)):
            raise InvalidModel(
                f"{target.label} forks from {case.label}, so {case.label} cannot fork from it. Choose another case.",
                place,
            )
        if parent == case.parent:
            return self
        family = self.with_case(replace(case, parent=parent))
        return family._keeping(self, (name,)) if keeps_numbers else family._without_idle_drops(name)

    def adopted(self, name: str) -> "Family":
        """Return the family with the root taking all a case does; every other case keeps its numbers.

        The case adopted then forks from the root with nothing of its own.

        Raises
        ------
        InvalidModel: the root itself.
        """
        root = next(case for case in self.cases if case.parent is None)
        if name == root.name:
            raise InvalidModel(f"{root.label} is the root already.", f"cases/{name}")
        taken = tuple(layer.step for layer in self.layers_of(name))
        names = {step.name for step in taken if isinstance(step, Change) and step.name}
        bare = tuple(_without_names(case, names) for case in self.cases)
        family = replace(self, cases=bare).with_case(replace(root, steps=taken))
        family = family.with_case(replace(family.case(name), parent=root.name))
        tops = [case.name for case in self.cases if case.parent == root.name or case.name == name]
        return family._keeping(self, tops)

    def _keeping(self, before: "Family", names: Iterable[str]) -> "Family":
        """Some cases, and all below them, as they were before, on what they inherit now."""
        family = self
        tops = tuple(dict.fromkeys(names))
        below = [fork for top in tops for fork in (top, *self.forks_of(top))]
        for name in dict.fromkeys(below):
            family = family._as_it_was(name, before.layers_of(name))
        return family

    def joined_by(self, case: Case, was: Sequence[Layer]) -> "Family":
        """Return the family with one more case, a fork of its parent, that does just what some layers do."""
        return replace(self, cases=(*self.cases, replace(case, steps=(), drops=())))._as_it_was(case.name, was)

    def _as_it_was(self, name: str, was: Sequence[Layer]) -> "Family":
        """A case as it was: as much as can be is inherited, the rest is dropped, and what is missing is its own."""
        family, case = self, self.case(name)
        dropped, again, reached = _aligned(self.inherited(name), was)
        family = family.with_case(replace(case, steps=(), drops=()))
        drops: list[str] = []
        for layer in dropped:
            family, drop = family._named(layer)
            drops.append(drop)
        known = {change.name for other in family.cases if other.name != name for change in other.changes}
        steps = [layer.step for layer in was[reached:]]
        own = tuple(_unnamed(step) if isinstance(step, Change) and step.name in known else step for step in steps)
        return family.with_case(replace(case, steps=(*again, *own), drops=tuple(dict.fromkeys(drops))))

    def _named(self, layer: Layer) -> tuple["Family", str]:
        """The family with a name for a step to be dropped by, and that name."""
        if not isinstance(layer.step, Change) or layer.step.name:
            return self, layer.name
        holder = self.case(layer.case)
        taken = {*self.moves, *(change.name for case in self.cases for change in case.changes)}
        name = free_name(f"{holder.name}_{layer.step.line}", taken)
        place = next(place for place, step in enumerate(holder.steps) if step is layer.step)
        steps = (*holder.steps[:place], replace(layer.step, name=name), *holder.steps[place + 1 :])
        return self.with_case(replace(holder, steps=steps)), name

    def _without_idle_drops(self, top: str) -> "Family":
        """No case from one down drops what it does not inherit."""
        family = self
        for name in (top, *self.forks_of(top)):
            case, inherited = family.case(name), {layer.name for layer in family.inherited(name)}
            drops = tuple(drop for drop in case.drops if drop in inherited)
            if drops != case.drops:
                family = family.with_case(replace(case, drops=drops))
        return family


def _aligned(inherited: Sequence[Layer], was: Sequence[Layer]) -> tuple[list[Layer], list[Switch], int]:
    """What must be dropped of what is inherited, moves that only start otherwise, and how much of ``was`` stands then.

    A move inherited stays in its place and takes another start or strength, so it need not be dropped for these.
    """
    dropped: list[Layer] = []
    again: list[Switch] = []
    reached = 0
    for layer in inherited:
        wanted = was[reached] if reached < len(was) else None
        if wanted is None or not _is_same_step(layer, wanted):
            dropped.append(layer)
            continue
        if isinstance(wanted.step, Switch) and wanted.step != layer.step:
            again.append(wanted.step)
        reached += 1
    return dropped, again, reached


def _is_same_step(one: Layer, other: Layer) -> bool:
    if one.move is not None or other.move is not None:
        return one.move == other.move
    return [_unnamed(change) for change in one.changes] == [_unnamed(change) for change in other.changes]


def step_at(case: Case, place: int) -> Step:
    """Return a case's own step by its place, from 0; raise UnknownName."""
    if not 0 <= place < len(case.steps):
        raise UnknownName(f"step of {case.label}", str(place + 1), [str(n + 1) for n in range(len(case.steps))])
    return case.steps[place]


def _unnamed(change: Change) -> Change:
    return replace(change, name="")


def _without_names(case: Case, names: set[str]) -> Case:
    """A case whose changes of some names have none: the name is now another's."""
    steps = tuple(_unnamed(step) if isinstance(step, Change) and step.name in names else step for step in case.steps)
    return case if steps == case.steps else replace(case, steps=steps)


def free_name(stem: str, taken: Iterable[str]) -> str:
    """Return a name nobody has yet: the stem, or the stem with a number."""
    known, name, count = set(taken), stem, 2
    while name in known:
        name, count = f"{stem}_{count}", count + 1
    return name
