"""Small edits over the code model, one operator a file. Third parties add theirs by the entry point `jamkey.turns`."""

from __future__ import annotations

from jamkey.shelf import Shelf

SHELF = Shelf(
    {
        "argument": "jamkey.turns.argument:TURN",
        "asked": "jamkey.turns.asked:TURN",
        "axes": "jamkey.turns.axes:TURN",
        "begun": "jamkey.turns.begun:TURN",
        "bound method": "jamkey.turns.bound_method:TURN",
        "brackets": "jamkey.turns.convert:BRACKETS",
        "form": "jamkey.turns.form:TURN",
        "defaulted": "jamkey.turns.defaulted:TURN",
        "exchanged": "jamkey.turns.exchanged:TURN",
        "folder": "jamkey.turns.folder:TURN",
        "keyed": "jamkey.turns.keyed:TURN",
        "early": "jamkey.turns.condition:EARLY",
        "format": "jamkey.turns.literal:FORMAT",
        "renamed": "jamkey.turns.names:RENAMED",
        "bound": "jamkey.turns.bound:TURN",
        "condition": "jamkey.turns.condition:TURN",
        "convert": "jamkey.turns.convert:TURN",
        "copied": "jamkey.turns.statement:COPIED",
        "function of": "jamkey.turns.function_of:TURN",
        "given": "jamkey.turns.given:TURN",
        "guard": "jamkey.turns.guard:TURN",
        "head": "jamkey.turns.head:TURN",
        "header": "jamkey.turns.header:TURN",
        "imports": "jamkey.turns.imports:TURN",
        "inherited": "jamkey.turns.inherited:TURN",
        "like siblings": "jamkey.turns.like_siblings:TURN",
        "literal": "jamkey.turns.literal:TURN",
        "look up": "jamkey.turns.convert:LOOK_UP",
        "modifier": "jamkey.turns.modifier:TURN",
        "names": "jamkey.turns.names:TURN",
        "operator": "jamkey.turns.operator:TURN",
        "own objects": "jamkey.turns.own_objects:TURN",
        "parameter": "jamkey.turns.argument:PARAMETER",
        "spelled": "jamkey.turns.spelled:TURN",
        "step": "jamkey.turns.step:TURN",
        "strip": "jamkey.turns.strip:TURN",
        "taken out": "jamkey.turns.taken_out:TURN",
        "whole": "jamkey.turns.statement:TURN",
    },
    "jamkey.turns",
)
