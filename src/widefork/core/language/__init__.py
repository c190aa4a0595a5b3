"""The formula language: text to syntax tree and back, what a formula may say, and its functions."""
