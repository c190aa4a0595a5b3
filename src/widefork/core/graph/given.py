"""What a line is given, before and beside any formula: rules, actuals, and the changes of every entry of a batch.

All arrays have one axis per dimension of the model (length 1 where the line is not spread over it), then months, then
the batch (length 1 where all its entries are alike).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension
from widefork.core.changes import Change, Operation, apply_change
from widefork.core.graph.model import Model
from widefork.core.lines import Line

Values = NDArray[np.float64]
Chain = tuple[Change, ...]
"""The changes of one line in one change list, in order."""


@dataclass(frozen=True)
class AlikeChains:
    """One chain for every entry of a batch, with amounts of each entry's own, shape (batch, changes)."""

    chain: Chain
    amounts: Values


def assumption_values(line: Line, model: Model) -> Values:
    """Return an assumption's values by its rules alone, shape (members..., months), before actuals and changes."""
    dimensions = model.dimensions_of(line)
    values = np.zeros((*(len(d) for d in dimensions), model.timeline.month_count))
    for places in np.ndindex(*values.shape[:-1]):
        key = tuple(d.members[place] for d, place in zip(dimensions, places, strict=True))
        rule = line.rules.get(key, line.rules.get(()))
        if rule is not None:
            values[places] = rule.values(model.timeline)
    return values


def ruled_values(line: Line, model: Model) -> Values:
    """Return an assumption's values by its rules alone, shape (members or 1..., months, 1)."""
    return _by_model_axes(line, model, assumption_values(line, model))[..., None].copy()


def given_values(
    line: Line,
    model: Model,
    chains: Sequence[Chain] | AlikeChains,
    ruled: Values | None = None,
    into: Values | None = None,
) -> Values:
    """Return an assumption's values under each entry of a batch: rules, then changes, then actuals.

    ``ruled`` is what ``ruled_values`` gives, where it is known already. ``into`` is memory for the values, of their
    shape; where entries differ in amounts only, they are worked out there and it is returned.

    Raises
    ------
    UnknownName, InvalidModel: a change that cannot be applied.
    """
    own = ruled_values(line, model) if ruled is None else ruled
    changed = with_changes(line, model, own, chains, into)
    return finished(line, model, changed, is_own=changed is into)


def finished(line: Line, model: Model, values: Values, is_own: bool = False) -> Values:
    """Return values with actuals laid over them, and 0 where a combination of members does not exist: in place where
    they are nobody else's."""
    known = known_values(line, model)
    if known is None and not line.absent:
        return values
    values = values if is_own else np.array(values)
    if known is not None:
        count = known.shape[-2]
        values[..., :count, :] = np.where(np.isnan(known), values[..., :count, :], known)
    for where in absent_places(line, model):
        values[where] = 0.0
    return values


def absent_places(line: Line, model: Model) -> list[tuple[Any, ...]]:
    """Return, for each combination that does not exist, where it stands in a line's array."""
    axes = [[d.name for d in model.dimensions].index(name) for name in line.dimensions]
    found = []
    for places in model.absent_members(line):
        where: list[Any] = [slice(None)] * len(model.dimensions)
        for axis, place in zip(axes, places, strict=True):
            where[axis] = place
        found.append(tuple(where))
    return found


def known_values(line: Line, model: Model) -> Values | None:
    """Return actuals, shape (members or 1..., actual months, 1), NaN where unknown; None for a line without any."""
    count = model.timeline.actual_count
    if not line.actuals or not count:
        return None
    dimensions = model.dimensions_of(line)
    own = np.full((*(len(d) for d in dimensions), count), np.nan)
    for key, values in line.actuals.items():
        places: Any = tuple(d.index(m) for d, m in zip(dimensions, key, strict=True))
        own[(*places, slice(0, min(count, len(values))))] = values[:count]
    return _by_model_axes(line, model, own)[..., None]


def with_changes(
    line: Line, model: Model, values: Values, chains: Sequence[Chain] | AlikeChains, into: Values | None = None
) -> Values:
    """Return values after each entry's changes, shape (..., months, batch or 1). Entries that differ in amounts only
    are changed together, in the memory given where it is of their shape.

    Raises
    ------
    UnknownName, InvalidModel: a change that cannot be applied.
    """
    dimensions = tuple(d if d.name in line.dimensions else Dimension("", ("",)) for d in model.dimensions)
    if isinstance(chains, AlikeChains):
        width = max(values.shape[-1], len(chains.amounts))
        shape = (*values.shape[:-1], width)
        changed = into if into is not None and into.shape == shape else np.empty(shape)
        changed[...] = values
        for turn, change in enumerate(chains.chain):
            apply_change(changed, change, model.timeline, dimensions, line.is_flow, chains.amounts[:, turn])
        return changed
    first = chains[0] if chains else ()
    if all(chain is first or chain == first for chain in chains):
        chains = [first]
    if not any(chains):
        return values
    values = np.broadcast_to(values, (*values.shape[:-1], max(values.shape[-1], len(chains)))).copy()
    alike: dict[tuple[Any, ...], list[int]] = {}
    for place, chain in enumerate(chains):
        alike.setdefault(tuple(map(_kind, chain)), []).append(place)
    for places in alike.values():
        columns: Any = slice(None) if len(chains) == 1 or len(places) == len(chains) else places
        column = values[..., columns]
        for turn, change in enumerate(chains[places[0]]):
            amounts = np.array([chains[place][turn].amount for place in places])
            apply_change(column, change, model.timeline, dimensions, line.is_flow, amounts)
        values[..., columns] = column
    return values


def _kind(change: Change) -> tuple[Any, ...]:
    """What a change is but for its amount; a delay's months are part of what it is."""
    months = change.amount if change.operation is Operation.DELAY else 0
    covered = (change.members, change.first, change.last)
    return change.operation, covered, change.catch_up_months, change.strength, months, change.course


def _by_model_axes(line: Line, model: Model, own: Values) -> Values:
    """Members in the order of the model's dimensions, 1 for those the line is not spread over."""
    names = [d.name for d in model.dimensions]
    order = sorted(range(len(line.dimensions)), key=lambda place: names.index(line.dimensions[place]))
    shape = tuple(len(d) if d.name in line.dimensions else 1 for d in model.dimensions)
    return np.transpose(own, [*order, own.ndim - 1]).reshape(*shape, own.shape[-1])
