"""Slips that people make, as operators over the syntax tree: one family a file, one function an operator.

An operator knows no program; it works on places found in the tree, so that a slip falls where a person could make it. By their
names half of them are *open* (rules may be tried on them), half *apart* (only totals of them are printed).
"""

from slips import calls, files, grammar, hangs, keys, members, names, order, places, quiet, types, values  # noqa: F401
from slips.base import SLIPS, Slip

__all__ = ["SLIPS", "Slip"]
