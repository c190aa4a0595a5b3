"""Closing a month: where accounts may go, what they say of the model's lines, and what that leaves unexplained."""

from widefork.core.analysis.month_close.places import Nature, Place, guess, places_of
from widefork.core.analysis.month_close.reconcile import Explained, Reconciled, reconcile
from widefork.core.analysis.month_close.taking import Entry, Taken, ages_of, take_books
from widefork.core.analysis.month_close.trial import trial_plan

__all__ = [
    "Entry",
    "Explained",
    "Nature",
    "Place",
    "Reconciled",
    "Taken",
    "ages_of",
    "guess",
    "places_of",
    "reconcile",
    "take_books",
    "trial_plan",
]
