"""Whether all who were asked say the same, and what was expected: verdicts, progress, differences between views."""
