"""Orders of the honey shop: grouping, sorting and a table."""

ORDERS = [
    ("may", "forest", 3),
    ("june", "clover", 5),
    ("may", "clover", 2),
    ("july", "forest", 4),
    ("june", "forest", 1),
]
MONTHS = ["may", "june", "july"]


def by_month(orders):
    table = {month: {} for month in MONTHS}
    for month, sort, jars in orders:
        table[month][sort] = table[month].get(sort, 0) + jars
    return table


def total(table, sort):
    result = 0
    for month in MONTHS:
        result += table[month].get(sort, 0)
    return result


def show(table):
    sorts = sorted({sort for _, sort, _ in ORDERS})
    print("month".ljust(8) + "".join(sort.rjust(8) for sort in sorts))
    for month in MONTHS:
        cells = [str(table[month].get(sort, 0)).rjust(8) for sort in sorts]
        print(month.ljust(8) + "".join(cells))
    return sorts


table = by_month(ORDERS)
sorts = show(table)
totals = {sort: total(table, sort) for sort in sorts}
ranking = sorted(totals, key=totals.get, reverse=True)
print("most wanted:", ranking[0], totals[ranking[0]])
print("share: %.1f %%" % (100 * totals["forest"] / sum(totals.values())))
