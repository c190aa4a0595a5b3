"""The model as a workbook whose cells recalculate."""
