"""One line or section: its panel, its formula, its plausible range, and what is done with it as a whole."""
