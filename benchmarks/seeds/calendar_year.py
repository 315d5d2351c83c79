"""Dates of inspections, and the days between them."""
from datetime import date, timedelta

TEXT = "2026-04-03 2026-04-17 2026-05-02 2026-05-30"


def parse(text):
    year, month, day = text.split("-")
    return date(int(year), int(month), int(day))


def gaps(dates):
    result = []
    previous = None
    for current in dates:
        if previous is not None:
            result.append((current - previous).days)
        previous = current
    return result


def mean(numbers):
    if not numbers:
        return 0
    return sum(numbers) / len(numbers)


dates = [parse(word) for word in TEXT.split()]
print(dates[0].strftime("%d.%m.%Y"), "to", dates[-1].strftime("%d.%m.%Y"))
print(gaps(dates))
print("mean gap:", mean(gaps(dates)))
following = dates[-1] + timedelta(days=14)
print("next:", following.isoformat())
late = [number for number in gaps(dates) if number > 14]
print(len(late), "were late")
