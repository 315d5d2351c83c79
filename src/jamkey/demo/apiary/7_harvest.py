# the harvest of the year, jar by jar
HARVEST = {"north": 12.4, "oak": 9.1, "brook": 14.2, "willow": 0.0}
JAR = 0.5


def jars(kilos):
    return math.floor(kilos / JAR)


def label(hive, kilos):
    return hive.uper() + ": " + jars(kilos) + " jars"


def mean_of(values, skip_empty=True):
    used = [value for value in values if value or not skip_empty]
    return sum(used) / len(used)


for hive, kilos in HARVEST.items():
    print(label(hive, kilos))
print("mean of the good hives:", round(mean_of(HARVEST.values()), 2))
print("mean of the empty ones:", mean_of([0.0]))
