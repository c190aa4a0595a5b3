"""How hard laws are tried: few examples daily, many with ``LAWS=thorough``; a run that decides knows no luck."""

import os

from hypothesis import HealthCheck, settings

THOROUGH = os.environ.get("LAWS") == "thorough"
DAILY, LONG = 40, 2000
TIMES = 25
"""How hard laws are tried: few examples daily, many with ``LAWS=thorough``; a run that decides knows no luck."""


def load_laws():
    """Choose the profile: at a desk luck is welcome; a run that decides draws the same every time."""
    settings.register_profile("desk", deadline=None, max_examples=DAILY)
    settings.register_profile("steady", deadline=None, max_examples=DAILY, derandomize=True)
    settings.register_profile("thorough", deadline=None, max_examples=LONG)
    settings.load_profile("thorough" if THOROUGH else "steady" if os.environ.get("CI") else "desk")


def law(examples, *suppressed, **more):
    """Settings of a law whose single example is dear: so many daily, many times as many when tried thoroughly."""
    return settings(
        deadline=None, max_examples=examples * (TIMES if THOROUGH else 1),
        suppress_health_check=suppressed or list(HealthCheck), **more,
    )  # fmt: skip
