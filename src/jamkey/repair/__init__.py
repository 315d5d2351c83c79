"""Broken text mended by the smallest edit after which a parser is content: search, with the parser as judge."""
