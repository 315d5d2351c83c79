"""What `run` and `fix` do: a program run, read, mended, doubted."""
