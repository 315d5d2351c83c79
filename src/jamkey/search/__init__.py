"""Keys found by search: turns at the places of the way back, judged cheapest first."""
