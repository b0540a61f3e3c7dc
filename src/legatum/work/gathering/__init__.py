"""A zone's contents, from wherever they are to be had."""
