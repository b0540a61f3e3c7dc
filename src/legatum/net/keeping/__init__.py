"""What was heard, kept: evidence, recordings that are asked again, captures written and counted."""
