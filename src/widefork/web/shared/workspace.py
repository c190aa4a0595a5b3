"""Models evaluated and kept: one snapshot per revision, so that a page never computes what it already knows."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import replace
from functools import cached_property
from threading import Lock, RLock
from typing import Any, TypeVar

from widefork.core.analysis.compare import evaluate_cases
from widefork.core.changes import Sketch
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.files import FORMATS
from widefork.store.books import BooksStore
from widefork.store.incoming import IncomingStore
from widefork.store.model_store import ModelStore, Stored
from widefork.store.seals import Seals
from widefork.store.sketches import Sketches
from widefork.web.shared.jobs import ANSWERS_KEPT, LEFT, Jobs

SNAPSHOTS_KEPT, SEALS_KEPT = 12, 4
CARRIED = 24
Kept = TypeVar("Kept")


class Carried:
    """What pages keep from one revision of a model to the next, and into sketches. Safe to use from several threads."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, tuple[object, Any]] = OrderedDict()
        self._lock = Lock()

    def get(self, what: Hashable, holds_for: object, make: Callable[[], Kept]) -> Kept:
        """Return what is kept under a name, made anew where there is nothing, or it held for something else."""
        with self._lock:
            known = self._kept.get(what)
            if known is None or known[0] != holds_for:
                known = self._kept[what] = (holds_for, make())
            self._kept.move_to_end(what)
            while len(self._kept) > CARRIED:
                self._kept.popitem(last=False)
            found: Kept = known[1]
            return found


class Snapshot:
    """A model at one revision, compiled and evaluated in all its cases."""

    def __init__(self, stored: Stored, earlier: Plan | None = None, carried: Carried | None = None) -> None:
        self.stored = stored
        self._earlier = earlier
        self._latest_sketch: tuple[Sketch, Snapshot] | None = None
        self._made: dict[Hashable, Any] = {}
        self.carried = Carried() if carried is None else carried
        self._lock = RLock()

    @property
    def revision(self) -> int:
        """The revision it stands at."""
        return self.stored.revision

    @cached_property
    def plan(self) -> Plan:
        """The compiled model, generated lines included."""
        if self.stored.plan is not None:
            return self.stored.plan
        plan = build_plan(self.stored.model, self._earlier)
        self._earlier = None
        return plan

    @property
    def model(self) -> Model:
        """The model with all its lines."""
        return self.plan.model

    @cached_property
    def _results(self) -> Results:
        return evaluate_cases(self.plan, self.case_names)

    @property
    def results(self) -> Results:
        """All lines of all cases, as one batch in the order of ``case_names``."""
        with self._lock:
            return self._results

    def kept(self, what: Hashable, make: Callable[[], Kept]) -> Kept:
        """Return something worked out from this snapshot once, and the same from then on."""
        with self._lock:
            if what not in self._made:
                self._made[what] = make()
            found: Kept = self._made[what]
            return found

    @property
    def case_names(self) -> tuple[str, ...]:
        """Cases in order."""
        return tuple(case.name for case in self.model.cases)

    def sketched(self, sketch: Sketch) -> "Snapshot":
        """Return the same model with a sketch on one of its cases; kept, so that reading it twice computes once."""
        with self._lock:
            if self._latest_sketch is None or self._latest_sketch[0] != sketch:
                stored = replace(self.stored, model=replace(self.stored.model, sketch=sketch), plan=None)
                self._latest_sketch = (sketch, Snapshot(stored, self.plan, self.carried))
            return self._latest_sketch[1]

    def place(self, case: str) -> int:
        """Return a case's place in the batch."""
        return self.case_names.index(case)


class Workspace:
    """Snapshots of the models in a store, the most recent ones kept, and what is being worked out about them."""

    def __init__(self, store: ModelStore) -> None:
        self.store = store
        self.sketches = Sketches(store)
        self.seals = Seals(store)
        self.books = BooksStore(store)
        self.incoming = IncomingStore(store)
        self.jobs = Jobs()
        self.answers = Jobs(ANSWERS_KEPT, LEFT)
        self._sealed: OrderedDict[tuple[int, int], Snapshot] = OrderedDict()
        self._kept: OrderedDict[tuple[int, int], Snapshot] = OrderedDict()
        self._lock = RLock()

    def now(self, model_id: int) -> Snapshot:
        """Return a model's present snapshot; raise UnknownName."""
        revision = self.store.revision(model_id)
        found = self.at(model_id, revision)
        if found is not None:
            return found
        stored = self.store.load(model_id)
        found = self.at(model_id, stored.revision)
        if found is not None:
            return found
        with self._lock:
            earlier = [known for (owner, _), known in self._kept.items() if owner == model_id]
        carried = max(earlier, key=lambda known: known.revision).carried if earlier else None
        snapshot = Snapshot(stored, carried=carried)
        self.keep(snapshot)
        return snapshot

    def keep(self, snapshot: Snapshot) -> None:
        """Keep a snapshot among the most recent ones."""
        with self._lock:
            self._kept[(snapshot.stored.id, snapshot.revision)] = snapshot
            while len(self._kept) > SNAPSHOTS_KEPT:
                self._kept.popitem(last=False)

    def sealed(self, model_id: int, seal_id: int) -> Snapshot:
        """Return a seal's model, compiled and evaluated; raise UnknownName."""
        key = (model_id, seal_id)
        with self._lock:
            if key in self._sealed:
                self._sealed.move_to_end(key)
                return self._sealed[key]
        model = FORMATS["yaml"].read(self.seals.document(model_id, seal_id))
        return self._keep_sealed(seal_id, Stored(model_id, model, 0))

    def seal(self, stored: Stored, person: str, name: str, note: str = "") -> None:
        """Lock a copy of a model as it stands; raise InvalidValue, UnknownName.

        Written out, but not read back: the model and what was compiled of it are here.
        """
        seal = self.seals.seal(stored.id, person, name, note, FORMATS["yaml"].write(stored.model))
        self._keep_sealed(seal.id, stored)

    def _keep_sealed(self, seal_id: int, stored: Stored) -> Snapshot:
        snapshot = Snapshot(replace(stored, revision=0))
        with self._lock:
            self._sealed[(stored.id, seal_id)] = snapshot
            while len(self._sealed) > SEALS_KEPT:
                self._sealed.popitem(last=False)
        return snapshot

    def at(self, model_id: int, revision: int) -> Snapshot | None:
        """Return an earlier snapshot while it is kept, else None."""
        with self._lock:
            found = self._kept.get((model_id, revision))
            if found is not None:
                self._kept.move_to_end((model_id, revision))
            return found
