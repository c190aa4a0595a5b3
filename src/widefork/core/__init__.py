"""The computing core: models in, numbers out. See README.md in this folder for its one rule."""
