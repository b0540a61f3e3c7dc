"""Days and times as people mean them: instants that they say, zones of time, and the windows in which a house makes its
changes."""
