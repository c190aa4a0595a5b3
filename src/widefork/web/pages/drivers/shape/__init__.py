"""The shape of an assumption: its rule as words, as a form and as a curve."""
