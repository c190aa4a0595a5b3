"""See schedule.py for the lines and help.md for the words."""
