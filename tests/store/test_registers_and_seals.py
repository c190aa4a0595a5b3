"""Numbers of a register go to the member they are about; seals stand in order, each with its model's own."""

import pytest
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, select

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import UnknownName
from widefork.core.rules import RULES, read_rule
from widefork.store import edits
from widefork.store.seals import Seals
from widefork.store.tables import SealRow


def member_numbers(store, dimension, attribute):
    known = store.load(1).model.dimension_by_name[dimension]
    return {member: known.attributes.get(member, {}).get(attribute) for member in known.members}


@pytest.mark.parametrize("place", [0, 1, -1])
def test_a_register_number_typed_for_one_member_is_that_members(store, place):
    model = store.load(1).model
    people = next(given for given in model.schedules if given.kind == "people")
    register = people.settings["register"]
    before = member_numbers(store, register, "salary")
    member = model.dimension_by_name[register].members[place]
    rule = read_rule(RULES, 4321)
    store.edit(1, "Ines", 0, edits.set_rule(f"{people.name}_salary", (member,), rule, "salary"))
    assert member_numbers(store, register, "salary") == {**before, member: 4321}


def test_of_many_changes_at_once_those_stay_that_no_single_one_covers(store):
    def change(amount, first, last, member="Coast"):
        return Change("kit_price", Operation.SET, amount, (("region", member),), Month(2027, first), Month(2027, last))

    store.edit(1, "Ines", 0, edits.change_cells("best", (change(50.0, 2, 3), change(51.0, 8, 9)), "two"))
    store.edit(1, "Ines", 1, edits.change_cells("best", (change(60.0, 1, 4), change(61.0, 6, 6)), "covers the first"))
    kept = [c for c in store.load(1).model.case("best").changes if c.line == "kit_price" and c.amount >= 50]
    assert [c.amount for c in kept] == [51, 60, 61]


def test_seals_are_of_their_model_the_latest_first_and_nothing_changes_one(store, demo_model):
    second, seals = store.create(demo_model), Seals(store)
    for name in ("First", "Second"):
        seals.seal(1, "Ines", name, "why", name)
    other = seals.seal(second, "Okan", "First", "", "another")
    assert [(seal.name, seal.person, seal.note) for seal in seals.of(1)] == [
        ("Second", "Ines", "why"), ("First", "Ines", "why"),
    ]  # fmt: skip
    assert [seal.id for seal in seals.of(second)] == [other.id]
    assert [seals.document(1, seal.id) for seal in seals.of(1)] == ["Second", "First"]
    with pytest.raises(UnknownName):
        seals.document(1, other.id)
    with Session(store.engine.execution_options(writes=True)) as session:
        row = session.exec(select(SealRow)).first()
        row.document = "changed"
        session.add(row)
        with pytest.raises(IntegrityError):
            session.commit()
