"""A model's life at the desk: any edits by two people, any undo and redo, and nobody's work is lost."""

from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from tests.kit.desk import empty_store
from tests.kit.laws import law
from tests.kit.small import REGION, calculated, given, model_of
from widefork.core.axes import Month, Timeline
from widefork.core.changes import Case, Change, Operation
from widefork.core.errors import WideforkError
from widefork.core.finance.assemble import build_plan
from widefork.core.lines import Line
from widefork.core.rules import RULES, read_rule
from widefork.store import edits
from widefork.store.errors import UndoRefused
from widefork.store.model_store import ModelStore

PEOPLE = st.sampled_from(["Ines", "Okan"])
LINES = st.sampled_from(["kits", "price", "rent", "extra", "extra_2"])
CASES = st.sampled_from(["base", "best"])
MEMBERS = st.sampled_from([(), ("Coast",), ("Valley",)])
MONTHS = st.integers(0, 7).map(lambda place: Month(2026, 3).plus(place))
AMOUNTS = st.integers(-5, 50).map(float)


def small_company():
    return model_of(
        given("kits", {("Coast",): 5, ("Valley",): 7, ("Upland",): 9}, ("region",)),
        given("price", 40),
        given("rent", {"steps": {"2026-01": 100, "2026-06": 120}}),
        calculated("sales", "kits * price", ("region",), posts_to="revenue"),
        timeline=Timeline(Month(2026, 1), 12, 1, Month(2026, 2)),
        cases=(Case("base", "Base"), Case("best", "Best", "base")),
    )


class Desk(RuleBasedStateMachine):
    """Edits, undo and redo in any order, against what the model was before each of them."""

    @initialize()
    def begin(self):
        import tempfile
        from pathlib import Path

        self.folder = tempfile.TemporaryDirectory()
        self.store = empty_store(Path(self.folder.name))
        self.store.create(small_company())
        self.trail = []

    def teardown(self):
        if hasattr(self, "folder"):
            self.store.engine.dispose()
            self.folder.cleanup()

    def make(self, person, apply):
        before = self.store.load(1)
        try:
            revision = self.store.edit(1, person, before.revision, apply)
        except WideforkError:
            assert self.store.load(1) == before
            return
        after = self.store.load(1)
        assert after.revision == revision
        if revision != before.revision:
            self.trail.append((person, before.model, after.model))
        else:
            assert after == before

    @rule(
        person=PEOPLE,
        line=LINES,
        case=CASES,
        at=MEMBERS,
        first=MONTHS,
        amount=AMOUNTS,
        operation=st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE]),
        length=st.integers(0, 4),
    )
    def type(self, person, line, case, at, first, amount, operation, length):
        members = tuple(zip(("region",), at, strict=False)) if line == "kits" else ()
        change = Change(line, operation, amount, members, first, min(first.plus(length), Month(2026, 12)))
        self.make(person, edits.change_cells(case, [change], "typed"))

    @rule(person=PEOPLE, line=LINES, at=MEMBERS, first=MONTHS)
    def back(self, person, line, at, first):
        cells = [edits.CellsBack(line, at if line == "kits" else (), first, first.plus(2))]
        self.make(person, edits.back_to_parent("best", cells, "back"))

    @rule(person=PEOPLE, line=LINES, amount=AMOUNTS)
    def say_a_rule(self, person, line, amount):
        self.make(person, edits.set_rule(line, (), read_rule(RULES, amount), "rule"))

    @rule(person=PEOPLE, name=st.sampled_from(["extra", "extra_2"]))
    def add(self, person, name):
        line = Line(name, name, section="all", rules={(): read_rule(RULES, 1)})
        self.make(person, edits.add_line(line, "added", "price"))

    @rule(person=PEOPLE, line=LINES, by=st.sampled_from([-1, 1]))
    def move(self, person, line, by):
        self.make(person, edits.move_line(line, by, "moved"))

    @rule(person=PEOPLE, line=LINES, new=LINES)
    def rename(self, person, line, new):
        self.make(person, edits.rename_line(line, new, "renamed"))

    @rule(person=PEOPLE, line=LINES)
    def remove(self, person, line):
        self.make(person, edits.remove_line(line, "removed"))

    @rule(person=PEOPLE, member=st.sampled_from(REGION.members), new=st.sampled_from(["Delta", "Coast"]))
    def rename_member(self, person, member, new):
        self.make(person, edits.change_member("region", member, "renamed", new_name=new))

    @rule(person=PEOPLE, member=st.sampled_from(REGION.members))
    def remove_member(self, person, member):
        self.make(person, edits.remove_member("region", member, "removed"))

    @rule(person=PEOPLE, months=st.integers(10, 16))
    def lengthen(self, person, months):
        timeline = Timeline(Month(2026, 1), months, 1, Month(2026, 2))
        self.make(person, edits.change_timeline(timeline, "longer"))

    @precondition(lambda self: self.trail)
    @rule()
    def undo_what_was_done_last_and_put_it_back(self):
        person, before, after = self.trail[-1]
        self.store.undo(1, person)
        assert self.store.load(1).model == before
        self.store.redo(1, person)
        assert self.store.load(1).model == after

    @rule(person=PEOPLE)
    def undo_anything_of_mine(self, person):
        before = self.store.load(1)
        try:
            self.store.undo(1, person)
        except UndoRefused:
            assert self.store.load(1) == before
        except WideforkError:
            assert self.store.load(1) == before
        else:
            self.trail.clear()

    @invariant()
    def the_model_computes(self):
        if hasattr(self, "store"):
            model = self.store.load(1).model
            assert not [p for p in build_plan(model).problems.values() if p.error]
            assert ModelStore(self.store.engine).load(1).model == model  # what is in memory is what is stored


TestDesk = Desk.TestCase
TestDesk.settings = law(12, stateful_step_count=14)
