"""Looking at a domain for its timetable: what every server gives of what visitors are led by."""
