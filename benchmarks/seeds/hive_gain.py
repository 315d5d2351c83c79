"""Daily gain of each hive from a table of weights."""
import csv


def read_weights(path):
    table = {}
    with open(path, newline="") as handle:
        for row in csv.DictReader(handle):
            table.setdefault(row["hive"], []).append(float(row["kilos"]))
    return table


def gains(weights):
    found = []
    for day in range(len(weights) - 1):
        found.append(round(weights[day + 1] - weights[day], 2))
    return found


def best(table):
    name = ""
    most = -1.0
    for hive in sorted(table):
        total = sum(gains(table[hive]))
        if total > most:
            name, most = hive, total
    return name, most


def main():
    table = read_weights("weights.csv")
    for hive in sorted(table):
        print(hive, gains(table[hive]))
    name, most = best(table)
    print("best: " + name + " with " + str(round(most, 2)) + " kg")


main()
