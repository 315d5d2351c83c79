"""The statistics package's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Stata(Tokened):
    """The statistics package as Jam Key knows it."""

    name = "stata"
    lexer = "stata"
    idioms = Idioms(
        missing=".",
        true="1",
        false="0",
        to_text="string({0})",
        to_whole="int(real({0}))",
        to_number="real({0})",
        is_missing="missing({0})",
        choice="cond({1}, {0}, {2})",
        length="_N",
        whole_division="/",
        import_module="do {0}",
        from_module="import {0}.{1};",
        lowered="strlower({0})",
        raised="strupper({0})",
        stripped="strtrim({0})",
    )
    style = Style(line_comments=("//",), block_comments=(("/*", "*/"),), quotes=('"',), long_quotes=())
    grammar = Grammar(function_words=frozenset({"program"}), blocks=frozenset({"program"}))
    keywords = frozenset(
        """
        by bysort capture quietly noisily if in using generate replace egen drop keep sort gsort merge append reshape
        collapse regress summarize tabulate list describe import export use save clear set local global foreach
        forvalues while program end do run display label rename encode decode destring tostring merge version log cd
    """.split()
    )
    builtins = frozenset(
        """
        generate gen replace egen drop keep sort gsort by bysort merge append reshape collapse regress logit probit
        summarize summ tabulate tab list describe browse edit import export use save clear set local global foreach
        forvalues while program end do run display di label rename encode decode destring tostring version log cd count
        mean ttest correlate graph twoway scatter histogram predict test matrix scalar preserve restore assert capture
        quietly noisily order codebook duplicates recode xtset tsset insheet outsheet infile sysuse webuse _n _N
    """.split()
    )


LANGUAGE = Stata()
