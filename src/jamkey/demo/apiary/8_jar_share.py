"""The share of jars each hive gave this year; 1.00 in all."""

JARS = {"north": 31, "willow": 24, "brook": 45}


def in_all(jars):
    total = 0
    for count in jars.values():
        total += count
        return total


for hive, count in JARS.items():
    print(f"{hive:7} {count / in_all(JARS):.2f}")
