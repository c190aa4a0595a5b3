"""A plan as an .xlsx workbook of formulas that recalculates to the same figures, in every case (docs/workbook.md)."""

from widefork.files.workbook.book import MEDIA_TYPE, Written, workbook_name, write_workbook

__all__ = ["MEDIA_TYPE", "Written", "workbook_name", "write_workbook"]
