"""Analyses: each a small function on top of batches of change lists over one compiled model."""
