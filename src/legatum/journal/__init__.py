"""What was intended, done and seen, kept in a database."""
