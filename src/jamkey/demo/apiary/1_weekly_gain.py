# mean gain per week of every hive
from apiary import read_weights


def weekly_gain(weights):
    total_gain = 0.0
    for before, after in zip(weights, weights[1:]):
        total_gain += after - before
    return total_gian / (len(weights) - 1)


for hive, weights in read_weights("hive_weights.csv").items():
    print(f"{hive:6} {weekly_gain(weights):+.2f} kg a week")
