"""What was observed of a domain, beside what should be: observations, expectations, verdicts."""
