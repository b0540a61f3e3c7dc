"""What carries effects out, one file for each kind: look whether it is there, check the gate, do it, prove it."""
