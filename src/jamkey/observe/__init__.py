"""PROGRAM -> TEXT + VALUES: start a program as it would start without us, and learn how it ended."""
