"""Which words stand in the notes, and how often."""
import re
from collections import Counter

NOTES = """Oak hive strong, queen seen. Brook hive weak; no queen seen.
Elm hive strong, many drones. Oak hive heavy."""


def words_of(text):
    return [word.lower() for word in re.findall(r"[A-Za-z]+", text)]


def longest(words):
    best = words[0]
    for word in words:
        if len(word) > len(best):
            best = word
    return best


def lines_with(text, wanted):
    found = []
    for number, line in enumerate(text.split("\n"), 1):
        if wanted in line.lower():
            found.append(number)
    return found


words = words_of(NOTES)
counts = Counter(words)
for word, number in counts.most_common(3):
    print(word.ljust(8), number)
print(longest(words), len(set(words)))
print(lines_with(NOTES, "queen"), lines_with(NOTES, "oak"))
