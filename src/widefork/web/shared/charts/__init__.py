"""Geometry for the drawings: numbers in, coordinates and paths out. Templates only place what stands here."""
