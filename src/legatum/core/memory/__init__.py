"""What was handed out, by whom, from when to when: and so what may still be held of it."""
