# honey per frame
import csv


def number(cell):
    return float(cell)


with open("honey_yields.csv", newline="") as handle:
    for row in csv.DictReader(handle):
        per_frame = number(row["kilos"]) / number(row["frames"])
        print(f"{row['hive']:7} {per_frame:.2f} kg a frame")
