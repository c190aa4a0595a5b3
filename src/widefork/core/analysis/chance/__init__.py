"""What random draws of the assumptions do to figures."""

from widefork.core.analysis.chance.chance import Chance, Uncertain, draw, run_chance
from widefork.core.analysis.chance.distributions import Distribution, Lognormal, Normal, Triangular, Uniform

__all__ = [
    "Chance",
    "Distribution",
    "Lognormal",
    "Normal",
    "Triangular",
    "Uncertain",
    "Uniform",
    "draw",
    "run_chance",
]
