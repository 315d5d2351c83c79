"""What the scripts of the apiary share: reading weights, ranking hives."""
import csv


def read_weights(path):
    """Return hive -> list of weights in kilograms, week by week."""
    weights = {}
    with open(path, newline="") as handle:
        for row in csv.DictReader(handle):
            weights.setdefault(row["hive"], []).append(float(row["kilos"]))
    return weights


def gain(weights):
    """Return the gain from the first to the last week in kilograms."""
    return weights[-1] - weights[0]


def ranked(weights):
    """Return the hives, the one that gained most first."""
    hives = list(weights)
    return hives.sort(key=lambda hive: gain(weights[hive]), reverse=True)
