"""Readings of a scale, with the bad ones left out."""


class Scale:
    def __init__(self, offset):
        self.offset = offset
        self.readings = []
        self.bad = 0

    def add(self, text):
        try:
            value = float(text)
        except ValueError:
            self.bad += 1
            return False
        self.readings.append(value - self.offset)
        return True

    def mean(self):
        return sum(self.readings) / len(self.readings)

    def spread(self):
        return max(self.readings) - min(self.readings)


class NightScale(Scale):
    def __init__(self, offset, hours):
        super().__init__(offset)
        self.hours = hours

    def per_hour(self):
        return self.spread() / self.hours


RAW = "31.5 31.7 x 32.0 -- 31.9"
scale = NightScale(1.5, 4)
good = [scale.add(word) for word in RAW.split()]
print(good.count(True), "good,", scale.bad, "bad")
print("mean %.2f" % scale.mean())
print("per hour %.3f" % scale.per_hour())
levels = {"low": 29, "high": 31}
state = "high" if scale.mean() > levels["high"] else "normal"
print(state, [round(reading, 1) for reading in scale.readings])
