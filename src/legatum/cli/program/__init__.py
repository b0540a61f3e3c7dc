"""The program around the commands: parsing, output, interruptions, progress."""
