"""The sound-synthesis language's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class SuperCollider(Tokened):
    """The sound-synthesis language as Jam Key knows it."""

    name = "supercollider"
    lexer = "supercollider"
    idioms = Idioms(
        missing="nil",
        true="true",
        false="false",
        to_text="{0}.asString",
        to_whole="{0}.asInteger",
        to_number="{0}.asFloat",
        is_missing="{0}.isNil",
        choice="if({1}) {{ {0} }} {{ {2} }}",
        not_zero="{0} != 0",
        length="{0}.size",
        whole_division="/",
        import_module='"{0}.scd".loadRelative',
        from_module="import {0}.{1};",
        lowered="{0}.toLower",
        raised="{0}.toUpper",
        stripped="",
        variable_word="var",
        look_alikes={"null": "nil", "None": "nil", "True": "true", "False": "false"},
    )
    style = Style(line_comments=("//",), block_comments=(("/*", "*/"),), quotes=('"', "'"), long_quotes=('"', "'"))
    grammar = Grammar(barred=True, function_words=frozenset())
    keywords = frozenset(["arg", "var", "classvar", "const", "this", "super", "thisProcess", "thisThread"])
    builtins = frozenset(
        """
        nil true false inf pi Array List Dictionary Set Bag Event Environment IdentityDictionary Function Routine Task
        Pbind Pseq Prand SinOsc Saw Pulse LPF HPF Synth SynthDef Buffer Bus Group Server Out In Env EnvGen Signal
        Wavetable Color Window Slider Button String Symbol Char Integer Float Number Object Class Error Exception Point
        Rect File Pipe Date TempoClock SystemClock AppClock MIDIIn OSCdef NetAddr Interval Range Order Pfunc Pwhite Pn
        Mix Splay Pan2 WhiteNoise Impulse Dust Line XLine Klank Scale Tuning PathName Main
    """.split()
    )


LANGUAGE = SuperCollider()
