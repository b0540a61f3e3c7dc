"""The practice world opened, furnished with settings, and steered while it runs."""
