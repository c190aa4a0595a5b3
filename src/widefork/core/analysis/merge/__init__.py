"""A case of another file of the same model, fitted into this one."""

from widefork.core.analysis.merge.merge import Merge, Misfit, merge_case

__all__ = ["Merge", "Misfit", "merge_case"]
