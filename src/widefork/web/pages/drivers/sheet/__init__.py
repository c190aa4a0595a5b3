"""The sheet: what it shows, what stands under a cell, and what hands do on it."""
