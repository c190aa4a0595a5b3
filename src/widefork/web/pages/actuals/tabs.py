"""The tabs of the page, and what travels from one to the next."""

from widefork.web.shared.context import View

TABS = (("Months", ""), ("History", "history"), ("Trends", "trends"))
TRAVELS = ("series",)
"""What stays in the address from tab to tab: the series looked at."""


def tabs_of(view: View, shown: str) -> tuple[tuple[str, str, bool], ...]:
    """Return the tabs: label, address, and whether it is the one shown."""
    bare = {key: "" for key, _ in view.address.own if key not in TRAVELS}
    return tuple((label, view.address.url(**{**bare, "view": key}), key == shown) for label, key in TABS)
