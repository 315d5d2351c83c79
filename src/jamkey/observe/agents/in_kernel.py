"""Run by path inside a notebook's kernel after a cell has failed: lets the agent describe the exception.

Standard library only; imports nothing of Jam Key, leaves no name behind.
"""

import json
import os
import runpy
import sys


def report(wire, ipython):
    """Append the description of the last exception to the wire file, cells named by the number of their run."""
    exception = getattr(sys, "last_value", None)
    if exception is None:
        return
    agent = runpy.run_path(os.path.join(os.path.dirname(os.path.abspath(__file__)), "agent.py"))
    agent["report"](wire, exception)
    names = dict(getattr(ipython.compile, "_filename_map", {}))
    with open(wire, encoding="ascii") as handle:
        records = [json.loads(line) for line in handle]
    for record in records:
        _rename(record["exception"], names)
    with open(wire, "w", encoding="ascii") as handle:
        handle.writelines(json.dumps(record) + "\n" for record in records)


def _rename(exception, names):
    """Put `In[n]` for the file names that the kernel makes up, and leave out the kernel's own outer frames."""
    frames = exception["frames"]
    first = next((index for index, frame in enumerate(frames) if frame["file"] in names), 0)
    exception["frames"] = frames[first:]
    for place in [*exception["frames"], exception.get("syntax") or {}]:
        if place.get("file") in names:
            place["file"] = "In[%d]" % names[place["file"]]
    for inner in [exception.get("cause"), exception.get("context"), *exception.get("members", ())]:
        if inner:
            _rename(inner, names)
