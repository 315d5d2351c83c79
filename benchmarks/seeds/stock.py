"""The store: json in, a bill out."""
import json

with open("store.json", encoding="utf-8") as handle:
    store = json.load(handle)

PRICES = {item["name"]: item["price"] for item in store["items"]}


def amount(item):
    return item["count"] * item["price"]


def bill(items):
    lines = []
    total = 0
    for item in items:
        value = amount(item)
        total = total + value
        lines.append(item["name"].ljust(10) + str(item["count"]).rjust(4) + f"{value:9.2f}")
    return lines, total


def cheapest(prices):
    ordered = sorted(prices.items(), key=lambda pair: pair[1])
    return ordered[0][0]


lines, total = bill(store["items"])
for line in lines:
    print(line)
print("total", round(total, 2))
print("cheapest", cheapest(PRICES))
missing = store.get("missing", [])
print("missing:", ", ".join(missing) if missing else "nothing")
