"""KEY -> TRIAL -> DISK: try a fix on a copy, apply the chosen one, take it back."""
