"""Starts one of our own runners where nothing of the user's can stand in for a library: `python -I own_runner.py NAME ARGS...`.

Isolated: neither the working folder nor PYTHONPATH is looked at, so a json.py of the user's is never imported into ours.
"""

import os
import runpy
import sys

if __name__ == "__main__":
    here = os.path.abspath(__file__)
    for _ in range(4):
        here = os.path.dirname(here)
    sys.path.append(here)
    module = "jamkey.observe." + sys.argv[1]
    sys.argv[:] = [module, *sys.argv[2:]]
    runpy.run_module(module, run_name="__main__", alter_sys=True)
