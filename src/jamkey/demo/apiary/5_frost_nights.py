# change of the night temperature from day to day
NIGHTS = [4, 1, -2, 0, 3]


def changes(nights):
    found = []
    for day in range(len(nights)):
        found.append(nights[day + 1] - nights[day])
    return found


print("changes:", changes(NIGHTS))
