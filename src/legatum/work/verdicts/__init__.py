"""What looking comes to: a survey, a confirmation, a change that is watched, and evidence judged again."""
