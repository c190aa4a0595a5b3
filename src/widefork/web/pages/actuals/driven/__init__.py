"""What drives a series: lines, days and events, what they gain, what each makes of the forecast; as a formula."""
