"""Records as people have them: tables pasted from a form or a mail, in whatever columns, read without guessing
silently."""
