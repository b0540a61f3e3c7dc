"""What was observed of a domain, beside what should be: pictures, expectations, verdicts."""
