"""From a wish to a runbook: everything that a plan rests on is looked at."""
