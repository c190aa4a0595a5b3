"""The tabs of the page, and what travels from one to the next."""

from widefork.web.shared.context import View

TABS = (("One by one", ""), ("Two at once", "two"), ("Bench", "bench"), ("Chance", "chance"))
TRAVELS = ("figure", "line", "sense", "goal")
"""What stays in the address from tab to tab: the figure, the assumption chosen, the goal."""


def tabs_of(view: View, shown: str) -> tuple[tuple[str, str, bool], ...]:
    """Return the tabs: label, address, and whether it is the one shown."""
    bare = {key: "" for key, _ in view.address.own if key not in TRAVELS}
    return tuple((label, view.address.url(**{**bare, "view": key}), key == shown) for label, key in TABS)
