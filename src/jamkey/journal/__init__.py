"""The journal: every reading is kept on this machine, with how it ended."""
