# how much sugar does a hive need before winter?
def sugar(kilos):
    if kilos < 30:
        missing = 30 - kilos
    print("feed this hive")
    else:
        missing = 0
    return missing * 1.5


for kilos in (31.2, 28.9):
    print(kilos, sugar(kilos))
