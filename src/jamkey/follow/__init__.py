"""JAM -> SNAG -> ROOTS: whose frames they are, which value was bad, and where it came from."""
