"""Why an amount differs from its plan: volume, mix, and price or cost."""

from widefork.core.analysis.variance.split import Factors, Split, factors_of, split_amount, split_line

__all__ = ["Factors", "Split", "factors_of", "split_amount", "split_line"]
