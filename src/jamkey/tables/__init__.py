"""Data cells that a conversion would choke on."""
