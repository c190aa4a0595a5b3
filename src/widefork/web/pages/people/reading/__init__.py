"""What a plan of people comes to: tables, charts, cohorts, and plans beside shocks."""
