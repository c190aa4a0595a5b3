"""One model edited by several people in any order: undo, redo, renames and cases never break it."""

import tempfile
from pathlib import Path

from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from tests.kit.desk import empty_store
from tests.kit.laws import law
from tests.kit.small import calculated, given, model_of
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation
from widefork.core.finance.assemble import check_plan
from widefork.store import edits
from widefork.store.errors import UndoRefused
from widefork.store.model_store import ModelStore

PEOPLE = ("Ines", "Okan")
CASES = (Case("base", "Base"), Case("best", "Best", "base"), Case("worst", "Worst", "base"))
LINES = (
    given("kits", {("Coast",): 1, ("Valley",): 2, ("Upland",): 3}, over=("region",)),
    given("price", 10),
    calculated("sales", "kits * price", over=("region",), posts_to="revenue"),
)


class LifeOfAModel(RuleBasedStateMachine):
    @initialize()
    def start(self):
        self.folder = tempfile.TemporaryDirectory()
        self.store = empty_store(Path(self.folder.name))
        self.model_id = self.store.create(model_of(*LINES, cases=CASES))
        self.first = self.store.load(self.model_id).model
        self.names = {"kits": "kits", "price": "price"}
        self.states = [self.first]
        self.done = []

    def make(self, person, change):
        seen = self.store.revision(self.model_id)
        after = self.store.edit(self.model_id, person, seen, change)
        if after > seen:
            self.done = [*self.done, person]

    @rule(
        person=st.sampled_from(PEOPLE),
        case=st.sampled_from([case.name for case in CASES]),
        line=st.sampled_from(["kits", "price"]),
        member=st.sampled_from([(), (("region", "Valley"),)]),
        operation=st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE]),
        amount=st.floats(-5, 5),
        first=st.sampled_from([None, Month(2026, 3)]),
    )
    def edit_months(self, person, case, line, member, operation, amount, first):
        members = member if line == "kits" else ()
        change = Change(self.names[line], operation, amount, members, first)
        self.make(person, edits.change_months(case, change, f"{line} {operation} {amount}"))

    @rule(person=st.sampled_from(PEOPLE), new=st.sampled_from(["boxes", "sets", "kits"]))
    def rename(self, person, new):
        if new != self.names["kits"]:
            self.make(person, edits.rename_line(self.names["kits"], new, f"renamed {new}"))
            self.names["kits"] = new

    @rule(person=st.sampled_from(PEOPLE), factor=st.integers(1, 3))
    def rewrite(self, person, factor):
        formula = f"{self.names['kits']} * price * {factor}"
        self.make(person, edits.set_formula("sales", formula, f"formula {factor}"))

    @rule(person=st.sampled_from(PEOPLE))
    def undo_and_redo(self, person):
        before = self.store.load(self.model_id).model
        try:
            self.store.undo(self.model_id, person)
        except UndoRefused:
            assert self.store.load(self.model_id).model == before
            return
        self.store.redo(self.model_id, person)
        assert self.store.load(self.model_id).model == before

    @precondition(lambda self: len(set(self.done)) == 1)
    @rule()
    def one_person_can_walk_all_the_way_back(self):
        for _ in self.done:
            self.store.undo(self.model_id, self.done[0])
        assert self.store.load(self.model_id).model == self.first
        for _ in self.done:
            self.store.redo(self.model_id, self.done[0])

    @invariant()
    def it_always_computes_and_its_log_has_no_gap(self):
        if not hasattr(self, "store"):
            return
        stored = self.store.load(self.model_id)
        check_plan(stored.model)
        assert ModelStore(self.store.engine).load(self.model_id).model == stored.model  # what is in memory is stored
        revisions = [entry.revision for entry in self.store.log(self.model_id, 1000)]
        assert revisions == list(range(stored.revision, 0, -1))

    def teardown(self):
        if hasattr(self, "folder"):
            self.folder.cleanup()


LifeOfAModel.TestCase.settings = law(12, stateful_step_count=12)
TestLifeOfAModel = LifeOfAModel.TestCase
