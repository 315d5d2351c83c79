"""Use the library inside a program of your own: catch a failure, say in plain words what it means, go on.

usage: python examples/weigh_hives.py
"""

from __future__ import annotations

import jamkey

READINGS = {"north": "31.2", "oak": "28,9", "brook": "35.0"}


def kilos(text: str) -> float:
    return float(text)


def main() -> None:
    for hive, text in READINGS.items():
        try:
            print(f"{hive:6} {kilos(text):5.1f} kg")
        except ValueError as error:
            jam = jamkey.read_exception(error)
            print(f"{hive:6} cannot be read: {jam.meaning}")
            for key in jam.keys[:1]:
                print(f"       {key.title}")


if __name__ == "__main__":
    main()
