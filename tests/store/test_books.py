"""Books on their way in, and what accounts were matched with: kept apart from the model and its log."""

import numpy as np
import pytest

from tests.store.test_line_edits import JULY, make
from widefork.core.analysis.month_close import trial_plan
from widefork.core.axes import Month
from widefork.core.closing import NOT_GIVEN, Closing
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.store import edits
from widefork.store.books import Books, BooksStore


@pytest.fixture
def books(store):
    return BooksStore(store)


def test_everybody_has_books_of_their_own(books):
    assert books.of(1, "Ines") is None
    books.keep(1, "Ines", Books(Month(2026, 7), {"rows": [["Cash", "1"]]}))
    books.keep(1, "Okan", Books(Month(2026, 8), {}))
    books.keep(1, "Ines", Books(Month(2026, 7), {"rows": [["Cash", "2"]]}))
    assert books.of(1, "Ines") == Books(Month(2026, 7), {"rows": [["Cash", "2"]]})
    books.drop(1, "Ines")
    assert books.of(1, "Ines") is None
    assert books.of(1, "Okan").month == Month(2026, 8)


def test_matches_follow_a_rename_and_forget_what_has_gone(store, books):
    books.remember(
        1, {"4100": ("kit_revenue", "Coast"), "6200": ("analysts_short", ""), "9999": ("", ""), "1": ("cash", "")}
    )
    store.edit(1, "Ines", 0, edits.rename_line("kit_revenue", "kit_sales", "named"))
    store.edit(1, "Ines", 1, edits.remove_line("analysts_short", "gone"))
    assert books.matches(1) == {"4100": ("kit_sales", "Coast"), "9999": ("", ""), "1": ("cash", "")}
    books.remember(1, {"4100": ("cash", "")})
    assert books.matches(1)["4100"] == ("cash", "")


def test_neither_is_in_the_log(store, books):
    books.keep(1, "Ines", Books(Month(2026, 7), {}))
    books.remember(1, {"1": ("cash", "")})
    assert store.revision(1) == 0
    assert store.log(1) == ()


def test_a_trial_is_what_closing_makes_of_the_model(store):
    own = {("rent", ()): 9100.0, ("kit_revenue", ("Coast",)): 70000.0}
    trial = trial_plan(store.load(1).model, JULY, own)
    stored = build_plan(make(store, edits.close_month(JULY, own, "closed")))
    one, two = evaluate(trial), evaluate(stored)
    assert {line.name for line in trial.model.lines} == {line.name for line in stored.model.lines}
    for line in stored.model.lines:
        np.testing.assert_array_equal(one.values(line.name), two.values(line.name), line.name)


def test_actuals_of_a_calculated_line_leave_earlier_months_as_they_were(store):
    before = evaluate(build_plan(store.load(1).model)).values("kit_revenue")[..., :6, 0]
    model = make(store, edits.close_month(Closing(Month(2026, 7)), {("kit_revenue", ()): 5.0}, "closed"))
    known = model.line("kit_revenue").actuals[("Coast",)]
    assert known[:6] == (NOT_GIVEN,) * 6
    after = evaluate(build_plan(model)).values("kit_revenue")
    assert after[..., :6, 0].tolist() == before.tolist()
    assert after[..., 6, 0].tolist() == [5.0, 5.0, 5.0]


def test_a_schedule_taken_away_takes_its_figures_with_it_and_undo_brings_them_back(store):
    make(store, edits.close_month(Closing(Month(2026, 7), {"reagents_balance": 20000.0}), {}, "closed"))
    make(store, edits.remove_schedule("reagents", "gone"))
    assert store.load(1).model.closings[0].figures == {}
    store.undo(1, "Ines")
    assert store.load(1).model.closings[0].figures == {"reagents_balance": 20000.0}
