"""Making a plan of people: teams, seats, many at once, hires, and who fills a seat."""
