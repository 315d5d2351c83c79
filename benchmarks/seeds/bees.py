"""A small family tree and a few recursions."""

MOTHERS = {"ada": "bea", "bea": "cleo", "cleo": None, "dora": "bea"}


def line(name):
    if name is None:
        return []
    return [name] + line(MOTHERS[name])


def depth(name):
    mother = MOTHERS[name]
    if mother is None:
        return 0
    return 1 + depth(mother)


def daughters(name):
    return sorted(child for child, mother in MOTHERS.items() if mother == name)


def common(one, other):
    mine = line(one)
    for name in line(other):
        if name in mine:
            return name
    return None


def brood(days, start):
    counts = [start]
    for day in range(1, days):
        counts.append(counts[day - 1] * 2 - day)
    return counts


for name in sorted(MOTHERS):
    print(name, " < ".join(line(name)), depth(name))
print(daughters("bea"), common("ada", "dora"))
print(brood(6, 3))
shared = common("dora", "ada")
print(shared.title())
