"""Workers on other machines: handing work to them, and looking at the world from where they stand."""
