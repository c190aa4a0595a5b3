"""History: what happened, brought in, looked at, with the steps on it."""
