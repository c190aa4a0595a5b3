"""SQLite through SQLModel: tables, migrations, and the log that undo reads."""
