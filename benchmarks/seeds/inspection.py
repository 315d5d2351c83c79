"""Goes through a list of tasks until none is left."""


def read_tasks(path):
    tasks = []
    for line in open(path):
        name, minutes = line.split()
        tasks.append((name, int(minutes)))
    return tasks


def run(tasks, limit):
    done = []
    spent = 0
    queue = list(tasks)
    while queue:
        name, minutes = queue.pop(0)
        if spent + minutes > limit:
            break
        spent += minutes
        done.append(name)
    return done, spent


def report(done, spent):
    text = "done: " + ", ".join(done)
    text += " in " + str(spent) + " minutes"
    return text


tasks = read_tasks("queue.txt")
tasks.sort(key=lambda task: task[1])
done, spent = run(tasks, 4)
print(report(done, spent))
first = tasks[0]
last = tasks[len(tasks) - 1]
print(first[0], last[0])
flags = {"all": len(done) == len(tasks), "some": bool(done)}
for flag in sorted(flags):
    print(flag, flags[flag])
