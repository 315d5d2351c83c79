"""A field of flowers as a grid, and the best place in it."""

FIELD = [
    [0, 2, 1, 0],
    [3, 5, 4, 1],
    [1, 4, 2, 0],
]


def around(field, row, column):
    total = 0
    for r in range(row - 1, row + 2):
        for c in range(column - 1, column + 2):
            if 0 <= r < len(field) and 0 <= c < len(field[0]):
                total += field[r][c]
    return total


def best_place(field):
    best = None
    most = 0
    for row in range(len(field)):
        for column in range(len(field[row])):
            score = around(field, row, column)
            if score > most:
                most = score
                best = (row, column)
    return best, most


def columns(field):
    return [[row[index] for row in field] for index in range(len(field[0]))]


place, score = best_place(FIELD)
print("best place:", place, "with", score)
for column in columns(FIELD):
    print(sum(column), max(column))
row, column = place
print("value there:", FIELD[row][column])
print("rows:", len(FIELD), "sum:", sum(sum(row) for row in FIELD))
