"""From operating lines to three statements: schedules, captions, and putting them together."""
