# which hives gained most?
from apiary import ranked, read_weights


def best(order, count):
    return order[:count]


def report(path):
    weights = read_weights(path)
    order = ranked(weights)
    for place, hive in enumerate(best(order, 2), 1):
        print(place, hive)


report("hive_weights.csv")
