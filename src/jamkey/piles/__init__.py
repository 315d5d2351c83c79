"""LOGS -> FAMILIES: which of very many runs failed, and why; read once for each shape of a text."""
