"""Objective-C's facts: C's, its own tree, and its word for nothing."""

from __future__ import annotations

import msgspec

from jamkey.languages.c import CLanguage


class ObjectiveC(CLanguage):
    """Objective-C as Jam Key knows it: what turns put in and judges are asked is C's."""

    name = "objective-c"
    tree = "objective-c"
    idioms = msgspec.structs.replace(
        CLanguage.idioms,
        missing="nil",
        true="YES",
        false="NO",
        is_missing="{0} == nil",
        to_text="[{0} description]",
        to_whole="[{0} intValue]",
        to_number="[{0} doubleValue]",
        length="[{0} count]",
        import_module="#import <{0}/{0}.h>",
        from_module='#import "{0}.h"',
    )
    keywords = CLanguage.keywords | frozenset(["self", "super", "nil", "id", "BOOL", "YES", "NO", "in", "instancetype"])
    builtins = CLanguage.builtins | frozenset(["NSLog", "NSObject", "NSString", "NSArray", "NSDictionary", "NSNumber"])


LANGUAGE = ObjectiveC()
