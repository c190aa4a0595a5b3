"""The web application: frame, pages, shared parts."""
