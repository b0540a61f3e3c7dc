"""What every part needs when it runs: faults, how far it is, and when to collect what is thrown away."""
