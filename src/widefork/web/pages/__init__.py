"""The pages, in the order of work. One line here per page."""
