"""Figures of the demo company that tests of pages and commands look for, in one place.

``tests/demo/test_story.py`` holds them against what is worked out by hand.
"""

WORST_UNDER, WORST_LOWEST, WORST_BACK = "Apr 27", "Jul 27", "Oct 27"
WORST_MONTHS = 6
WORST_SHORT = "177,305"
"""By how much Worst is below the lowest level allowed in its lowest month."""
WORST_NEEDS = "178,000"
BRIDGE_NEEDED = "266900.0"
"""The bridge loan drawn in December 2026 that keeps Worst above 0."""
