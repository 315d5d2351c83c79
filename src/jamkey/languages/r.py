"""R's facts."""

from __future__ import annotations

from jamkey.languages.base import Code, Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened
from jamkey.late import pattern

#: How a chunk of R begins in a report, and how any ends.
_CHUNK, _FENCE = pattern(r"\s*```+\s*\{[rR]\b"), pattern(r"\s*```+\s*$")


def without_prose(text: str) -> str:
    """Return a report with empty lines for all that is no R, so that lines keep their numbers; any other text as it is."""
    if "```{r" not in text and "```{R" not in text:
        return text
    kept: list[str] = []
    inside = False
    for row in text.split("\n"):
        if inside and _FENCE.match(row):
            inside = False
        kept.append(row if inside else "")
        inside = inside or _CHUNK.match(row) is not None
    return "\n".join(kept)


class RLanguage(Tokened):
    """R as Jam Key knows it."""

    name = "r"

    def code(self, text: str) -> Code:
        """Return a script, or the chunks of a report."""
        return super().code(without_prose(text))

    modules = frozenset(
        """
        base boot class cluster codetools compiler datasets foreign graphics grDevices grid KernSmooth lattice MASS Matrix
        methods mgcv nlme nnet parallel rpart spatial splines stats stats4 survival tcltk tools utils
    """.split()
    )
    lexer = "r"
    idioms = Idioms(
        missing="NULL",
        true="TRUE",
        false="FALSE",
        to_text="as.character({0})",
        to_whole="as.integer({0})",
        to_number="as.numeric({0})",
        is_missing="is.null({0})",
        choice="if ({1}) {0} else {2}",
        length="length({0})",
        whole_division="%/%",
        import_module="library({0})",
        from_module='source("{0}.R")',
        lowered="tolower({0})",
        raised="toupper({0})",
        stripped="trimws({0})",
        look_alikes={
            "true": "TRUE",
            "false": "FALSE",
            "True": "TRUE",
            "False": "FALSE",
            "None": "NULL",
            "null": "NULL",
            "nil": "NULL",
            "len": "length",
            "lenght": "length",
            "nan": "NaN",
            "na": "NA",
        },
    )
    style = Style(quotes=('"', "'", "`"), long_quotes=('"', "'"))
    grammar = Grammar(last_value=True, function_words=frozenset({"function"}))
    keywords = frozenset(["if", "else", "repeat", "while", "function", "for", "next", "break", "in"])
    builtins = frozenset(
        """
        TRUE FALSE NULL NA NaN Inf T F pi c list data.frame vector matrix length names nrow ncol dim sum mean median sd
        var min max range seq seq_len seq_along rep paste paste0 cat print sprintf format round abs sqrt exp log log10
        read.csv read.table write.csv file readLines writeLines lapply sapply vapply mapply apply tapply Map Filter
        Reduce do.call stop warning tryCatch try library require source is.na is.null is.numeric as.numeric as.integer
        as.character as.factor as.Date factor levels table unique sort order rev which any all ifelse switch return
        invisible head tail subset merge aggregate cbind rbind str summary plot hist lines points solve diff cumsum
        outer crossprod t strsplit gsub sub grepl nchar substr toupper tolower trimws unlist setdiff union intersect
        colnames rownames colMeans rowMeans colSums rowSums quantile cor lm predict nlevels Sys.time Sys.Date message
        identity identical stopifnot exists get assign environment new.env interaction droplevels complete.cases na.omit
        rownames max.col which.max which.min round floor ceiling by with within split unsplit stack array letters
        LETTERS month.name
    """.split()
    )
    imports = {
        "mutate": "library(dplyr)",
        "filter": "library(dplyr)",
        "select": "library(dplyr)",
        "group_by": "library(dplyr)",
        "summarise": "library(dplyr)",
        "summarize": "library(dplyr)",
        "arrange": "library(dplyr)",
        "ggplot": "library(ggplot2)",
        "aes": "library(ggplot2)",
        "geom_point": "library(ggplot2)",
        "geom_line": "library(ggplot2)",
        "geom_bar": "library(ggplot2)",
    }


LANGUAGE = RLanguage()
