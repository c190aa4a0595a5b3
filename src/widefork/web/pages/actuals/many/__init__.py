"""All series at once: forecast in parallel, ranked by trust and weight, made to add up, into the plan together."""
