"""Cases as edits: whatever is done to them is stored, read back, and taken back whole."""

from dataclasses import replace

import numpy as np
import pytest

from tests.kit.desk import demo_model
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.changes import Case, Change, Operation, Switch
from widefork.core.errors import InvalidModel
from widefork.core.finance.assemble import build_plan
from widefork.files import FORMATS
from widefork.store import edits
from widefork.store.loading import load_model
from widefork.store.sketches import Sketches

PRICE = Change("kit_price", Operation.SCALE, 0.9, note="a rival")


def make(store, apply, person="Ines"):
    return store.edit(1, person, store.revision(1), apply)


def model(store):
    return store.load(1).model


def cash(found, case):
    plan = build_plan(found)
    return evaluate_cases(plan, [case], ["cash_after_overdraft"]).series("cash_after_overdraft", ())


def layers(found, case):
    return found.family.layers_of(case)


EVERYTHING = {
    "fork": lambda m: edits.add_case(Case("late", "Late grant", "worst", (PRICE, Switch("price_rise"))), "fork"),
    "words": lambda m: edits.change_case("worst", "w", label="Bad", note="why", weight=0.3, is_pinned=True),
    "order": lambda m: edits.move_case("worst", -1, "up"),
    "archive": lambda m: edits.archive_case("worst", "aside"),
    "remove": lambda m: edits.remove_case("worst_met", "gone"),
    "under": lambda m: edits.put_under("worst_met", "best", True, "under"),
    "under, figures change": lambda m: edits.put_under("worst_met", "base", False, "under"),
    "adopt": lambda m: edits.adopt("worst", "adopt"),
    "take out": lambda m: edits.take_out("worst_met", layers(m, "worst_met")[:2], "out"),
    "take out own": lambda m: edits.take_out("worst", layers(m, "worst")[-2:], "out"),
    "put back": lambda m: edits.put_back("worst_met", "municipal_late", "back"),
    "replace": lambda m: edits.replace_step("worst", 0, m.case("worst").steps[0], PRICE, "other"),
    "reorder": lambda m: edits.move_step("worst", 1, 1, "later"),
    "copy": lambda m: edits.copy_steps(m.case("worst").steps[:2], ("best", "worst_met"), "copied"),
    "bundle": lambda m: edits.bundle_steps("worst", (1, 2), ("bad_luck", "Bad luck"), "bundled"),
}


@pytest.mark.parametrize("what", EVERYTHING)
def test_every_edit_is_stored_read_back_and_taken_back(store, what):
    before = model(store)
    make(store, EVERYTHING[what](before))
    after = model(store)
    assert after != before
    with store.engine.connect() as connection:
        from sqlmodel import Session

        assert load_model(Session(connection), 1) == store.load(1).model
    assert FORMATS["yaml"].read(FORMATS["yaml"].write(after)) == after
    store.undo(1, "Ines")
    assert model(store) == before
    store.redo(1, "Ines")
    assert model(store) == after


def test_a_step_that_stays_keeps_its_author(store):
    make(store, edits.copy_steps((PRICE,), ("worst",), "price"), "Okan")
    make(store, edits.move_step("worst", len(model(store).case("worst").steps) - 1, -1, "earlier"))
    authors = store.step_authors(1)["worst"]
    place = model(store).case("worst").steps.index(PRICE)
    assert authors[place].person == "Ines"  # who put it there last
    assert authors[0] is None  # came with the model
    assert len(authors) == len(model(store).case("worst").steps)


def test_adopting_the_worst_case_of_the_demo_keeps_every_other(store):
    before = model(store)
    make(store, edits.adopt("worst", "adopt"))
    after = model(store)
    for case in ("best", "worst", "worst_met"):
        np.testing.assert_array_equal(cash(after, case), cash(before, case))
    np.testing.assert_array_equal(cash(after, "base"), cash(before, "worst"))
    assert after.case("worst").steps == ()
    assert len(after.case("best").drops) == len(before.case("worst").steps)


def test_a_case_laid_aside_is_kept_and_not_computed(store):
    before = model(store)
    make(store, edits.archive_case("worst", "aside"))
    after = model(store)
    assert [case.name for case in after.cases] == ["base", "best"]
    assert [case.name for case in after.archived] == ["worst", "worst_met"]
    make(store, edits.bring_case_back("worst_met", "back"))
    assert model(store) == before  # and what it forks from


def test_a_sketch_on_a_case_laid_aside_waits_for_it(store):
    sketches = Sketches(store)
    sketches.start(1, "Ines", "worst_met")
    sketches.add(1, "Ines", [PRICE], "price")
    make(store, edits.archive_case("worst", "aside"), "Okan")
    assert sketches.of(1, "Ines") is None
    make(store, edits.bring_case_back("worst_met", "back"), "Okan")
    assert sketches.of(1, "Ines").changes == (PRICE,)
    make(store, edits.archive_case("worst", "aside"), "Okan")
    sketches.start(1, "Ines", "base")
    assert sketches.of(1, "Ines").case == "base"


@pytest.mark.parametrize(
    ("apply", "words"),
    [
        (edits.archive_case("base", ""), "Base is the root"),
        (edits.remove_case("base", ""), "Base is the root"),
        (edits.remove_case("worst", ""), "Met early forks from Worst"),
        (edits.put_under("worst", "worst_met", True, ""), "Met early forks from Worst"),
        (edits.add_case(Case("new", "Worst", "base"), ""), "already a case called Worst"),
        (edits.add_case(Case("worst", "Other", "base"), ""), "already a case worst"),
        (edits.change_case("best", "", label="worst"), "already a case called Worst"),
        (edits.change_case("best", "", weight=1.3), "130 % was given"),
        (edits.replace_step("worst", 0, PRICE, None, ""), "has changed here since"),
        (edits.bundle_steps("worst_met", (0,), ("m", "M"), ""), "choose changes only"),
    ],
)
def test_what_cannot_be_done_is_said_and_changes_nothing(store, apply, words):
    before = model(store)
    with pytest.raises(InvalidModel, match=words):
        make(store, apply)
    assert model(store) == before


def test_a_file_may_name_a_parent_further_down_and_a_case_laid_aside(store):
    found = demo_model()
    base, best, worst, met = found.cases
    turned = replace(found, cases=(base, met, worst), archived=(best,))
    assert FORMATS["yaml"].read(FORMATS["yaml"].write(turned)) == turned
    second = store.create(turned)
    assert store.load(second).model == turned
