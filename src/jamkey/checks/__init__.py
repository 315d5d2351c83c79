"""What is likely to jam or go quietly wrong, seen in the source before anything runs: one rule a file."""
