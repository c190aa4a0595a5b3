"""From a model to numbers: the model itself, the order of computation, and evaluation over batches of changes."""
