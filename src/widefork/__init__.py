"""Wide Fork: driver-based operating models with statements that always tie."""
