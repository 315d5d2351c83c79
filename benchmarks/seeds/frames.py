"""Frames of honey, taken and put back."""


class Hive:
    count = 0

    def __init__(self, name, frames):
        self.name = name
        self.frames = frames
        self.log = []
        Hive.count += 1

    def take(self, number):
        if number > self.frames:
            self.log.append("refused " + str(number))
            return 0
        self.frames -= number
        self.log.append("took " + str(number))
        return number

    def put(self, number):
        self.frames += number
        self.log.append("put " + str(number))

    def summary(self):
        return f"{self.name}: {self.frames} frames, {len(self.log)} entries"


def harvest(hives, each):
    total = 0
    for hive in hives:
        total += hive.take(each)
    return total


hives = [Hive("north", 10), Hive("south", 3), Hive("west", 8)]
print(harvest(hives, 4))
hives[1].put(2)
for hive in hives:
    print(hive.summary())
names = [hive.name.upper() for hive in hives if hive.frames >= 5]
print(", ".join(names), Hive.count)
