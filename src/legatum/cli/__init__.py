"""The command line: argparse and nothing else, one file for each command."""
