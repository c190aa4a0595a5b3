"""Values by line, put together from slabs and pieces when they are asked for."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import compress

import numpy as np

from widefork.core.engine.program import LineRows, Program, Values
from widefork.core.engine.subset import Subset


class Arrays(Mapping[str, Values]):
    """Values by line, put together when they are asked for: computed anew where the batch reached, else standing."""

    def __init__(
        self, program: Program, slab: Values, subset: Subset | None = None, pieces: Sequence[Values] = ()
    ) -> None:
        self.program, self.slab, self.subset, self.pieces = program, slab, subset, pieces

    def __getitem__(self, name: str) -> Values:
        found = self.program.lines[name]
        months = self.program.months
        standing = self.slab[found.rows].reshape(*found.shape, months, 1)
        if self.subset is None or not self.subset.reached[found.rows].any():
            return standing
        return self._renewed(name, self.subset, found, standing)

    def _renewed(self, name: str, subset: Subset, found: LineRows, standing: Values) -> Values:
        outputs = subset.outputs
        first, stop = np.searchsorted(outputs, [found.first, found.first + found.count])
        if stop - first < int(subset.reached[found.rows].sum()):
            raise KeyError(f"{name} was not asked for")
        renewed = np.concatenate([piece[first:stop] for piece in self.pieces], axis=-1)
        if stop - first == found.count:
            return renewed.reshape(*found.shape, *renewed.shape[1:])
        whole = np.broadcast_to(standing.reshape(found.count, -1, 1), (found.count, *renewed.shape[1:])).copy()
        whole[outputs[first:stop] - found.first] = renewed
        return whole.reshape(*found.shape, *renewed.shape[1:])

    def __iter__(self) -> Iterator[str]:
        return iter(self.program.lines)

    def __len__(self) -> int:
        return len(self.program.lines)


class Stacked(Mapping[str, Values]):
    """Several standings as one batch."""

    def __init__(self, program: Program, slabs: Sequence[Values]) -> None:
        self.program, self.slabs = program, slabs

    def __getitem__(self, name: str) -> Values:
        found = self.program.lines[name]
        parts = np.stack([slab[found.rows] for slab in self.slabs], axis=-1)
        return parts.reshape(*found.shape, self.program.months, len(self.slabs))

    def __iter__(self) -> Iterator[str]:
        return iter(self.program.lines)

    def __len__(self) -> int:
        return len(self.program.lines)

    def alike(self, other: object) -> frozenset[str]:
        """Return lines whose values are the same as in another such batch, to the last bit."""
        if not isinstance(other, Stacked) or other.program is not self.program or len(other.slabs) != len(self.slabs):
            return frozenset()
        changed = np.zeros(self.program.row_count + 1, dtype=np.int64)
        for one, two in zip(self.slabs, other.slabs, strict=True):
            if one is not two:
                changed[1:] |= (one.view(np.int64) != two.view(np.int64)).any(axis=1)
        before = np.cumsum(changed)
        names, first, stop = self.program.spans
        return frozenset(compress(names, (before[stop] == before[first]).tolist()))

    def largest(self, names: Sequence[str]) -> Values:
        """Return an amount for each line that none of its values exceeds, nor its rows together."""
        known = [self.program.lines[name] for name in names]
        if not known:
            return np.zeros(0)
        rows = np.concatenate([np.arange(found.first, found.first + found.count) for found in known])
        by_row = np.zeros(rows.size)
        for slab in self.slabs:
            np.fmax(by_row, np.fmax.reduce(np.abs(slab[rows]), axis=1), out=by_row)
        starts = np.cumsum([0, *(found.count for found in known[:-1])])
        return np.add.reduceat(by_row, starts)
