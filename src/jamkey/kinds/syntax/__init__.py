"""Rules for text that breaks the grammar: each proposes small edits; the parser decides which of them mend it."""
