"""How cases are told apart: each place among them has a colour, a dash and an end marker of its own."""

CASE_STYLES = ("base", "best", "worst", "fourth", "fifth", "sixth", "seventh", "eighth")
"""Style names by a case's place: a class of the stylesheet, a marker of ``shared/_marks``."""


def style_of(place: int) -> int:
    """Return the style of the case at a place, from 0; beyond the eighth they begin again behind Base."""
    count = len(CASE_STYLES)
    return place if place < count else 1 + (place - 1) % (count - 1)
