"""What looks at a domain show: surveys, chains of trust, verdicts, services, and how long things take."""
