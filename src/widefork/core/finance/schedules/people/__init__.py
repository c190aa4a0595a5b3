"""See schedule.py for the lines and help.md for the words; teams and seats are registers."""
