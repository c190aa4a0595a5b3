"""See pattern.py for the questions and the lines."""
