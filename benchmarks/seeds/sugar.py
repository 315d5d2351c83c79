"""Sugar syrup to feed: a small calculation with units."""
import math

RATIO = {"spring": 1.0, "autumn": 2.0}
STOCK = 40
used = 0


def syrup(litres, season):
    ratio = RATIO[season]
    sugar = litres * ratio
    water = litres - sugar / 3
    return sugar, water


def feed(litres, season):
    global used
    sugar, water = syrup(litres, season)
    used += sugar
    return round(water, 1)


def jars(litres):
    return math.ceil(litres / 0.5)


plan = [("oak", 3, "spring"), ("brook", 5, "autumn"), ("elm", 2, "spring")]
for name, litres, season in plan:
    water = feed(litres, season)
    print("%-6s %4.1f l water, %d jars" % (name, water, jars(litres)))
left = STOCK - used
if left == 25:
    print("exactly 25 left")
elif left > 25:
    print("more than enough:", left)
else:
    print("only", left, "left")
