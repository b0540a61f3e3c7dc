"""What the settings say, tried out: every account, server and file, by doing what changes nothing."""
