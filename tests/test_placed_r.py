"""Plain Rscript prints no lines: the failing one is found by the calls, wherever a function was written and however called."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.pipeline import read_and_diagnose
from jamkey.views.json import parse
from tests.conftest import jamkey

#: What fails, at the place of the `@`; `h` is there everywhere.
FAILING = (
    'h + "a"',
    'log(-"x")',
    'stop("no queen")',
    "undefined_thing",
    'sqrt("a")',
    "h$kg$x[[3]]",
    "solve(matrix(0, 2, 2))",
    "if (NA) 1",
    'match.arg("x", c("a", "b"))',
    'factorial("a")',
    "as.numeric(h)[[9]]",
)
PLACES = {
    "handed to the library": ("weigh <- function(h) {\n  k <- 1\n  @\n}\nout <- sapply(1:3, weigh)\nprint(out)\n"),
    "written where it is handed": ("hives <- 1:3\nout <- lapply(hives, function(h) {\n  k <- 2\n  @\n})\nprint(out)\n"),
    "called by what is handed": (
        "weigh <- function(h) {\n"
        "  @\n"
        "}\n"
        "total <- function(hs) {\n"
        "  r <- vapply(hs, function(h) {\n"
        "    weigh(h)\n"
        "  }, 1)\n"
        "  sum(r)\n"
        "}\n"
        "print(total(1:3))\n"
    ),
    "called by a list of arguments": ("weigh <- function(h, b = 2) {\n  b\n  @\n}\nprint(do.call(weigh, list(3)))\n"),
    "handed with two lists": ("weigh <- function(h, b) {\n  b\n  @\n}\nr <- Map(weigh, 1:2, 3:4)\n"),
    "within a guard": ('weigh <- function(h) {\n  @\n}\ntryCatch({\n  weigh(3)\n}, finally = cat("done\\n"))\n'),
    "the script": ("h <- 3\nk <- 4\n@\n"),
    "handed for rows": ("m <- matrix(1:4, 2)\nr <- apply(m, 1, function(h) {\n  s <- sum(h)\n  @\n})\n"),
    "at the end of a pipe": ("weigh <- function(h) {\n  @\n}\nh <- 3\nh |> weigh() |> print()\n"),
    "within another": ("weigh <- function(h = 3) {\n  g <- function() {\n    @\n  }\n  g()\n}\nweigh()\n"),
    "in a loop": (
        "weigh <- function(h) {\n"
        "  for (i in 1:2) {\n"
        "    if (i > 1) {\n"
        "      @\n"
        "    }\n"
        "  }\n"
        "}\n"
        "for (h in 1:2) {\n"
        "  weigh(h)\n"
        "}\n"
    ),
    "an argument not yet asked for": ("weigh <- function(h, v) {\n  h\n  v\n}\nh <- 3\nweigh(h, {\n  @\n})\n"),
    "handed by name": (
        "weigh <- function(h) {\n  k <- 1\n  @\n}\nout <- vapply(1:3, FUN = weigh, FUN.VALUE = 1)\nprint(out)\n"
    ),
    "written as a first argument": ("hives <- list(1, 2)\nkept <- Filter(function(h) {\n  g <- h\n  @\n}, hives)\n"),
    "written on lines of its own": ("r <- Reduce(\n  function(a, h) {\n    @\n  },\n  1:3\n)\n"),
    "made by another": ("make <- function(n) {\n  function(h) {\n    @\n  }\n}\nweigh <- make(2)\nweigh(3)\n"),
    "a member of a list": ("bee <- list(weigh = function(h) {\n  @\n})\nbee$weigh(3)\n"),
    "a method that the library asks for": (
        'print.hive <- function(h, ...) {\n  @\n}\nh <- structure(list(kg = 3), class = "hive")\nprint(h)\n'
    ),
    "a method of an own generic": (
        'total <- function(h, ...) UseMethod("total")\n'
        "total.hive <- function(h, ...) {\n"
        "  k <- 2\n"
        "  @\n"
        "}\n"
        'h <- structure(list(kg = 3), class = "hive")\n'
        "total(h)\n"
    ),
    "an own operator": ("`%+%` <- function(h, b) {\n  @\n}\nz <- 3 %+% 4\n"),
    "an own replacement": ("`kg<-` <- function(h, value) {\n  @\n}\nh <- 3\nkg(h) <- 3\n"),
    "a block with names of its own": ("r <- local({\n  h <- 3\n  @\n})\n"),
    "a block with a table": ("df <- data.frame(h = 1:2)\nr <- with(df, {\n  @\n})\n"),
    "within a guard with a handler": ("weigh <- function(h) {\n  @\n}\nr <- tryCatch(weigh(3), warning = function(w) 1)\n"),
    "written within what is written": (
        "outer_fn <- function(hs) {\n"
        "  sapply(hs, function(h) {\n"
        "    sapply(1:2, function(k) {\n"
        "      @\n"
        "    })\n"
        "  })\n"
        "}\n"
        "outer_fn(1:2)\n"
    ),
    "a choice": (
        'weigh <- function(kind, h) {\n  switch(kind,\n    a = 1,\n    b = {\n      @\n    }\n  )\n}\nweigh("b", 3)\n'
    ),
    "a loop of the script": ("h <- 0\nwhile (h < 3) {\n  h <- h + 1\n  @\n}\n"),
    "the last of three calls": (
        "first <- function(h) h + 1\n"
        "weigh <- function(h) {\n"
        "  a <- first(h)\n"
        "  b <- first(a)\n"
        "  @\n"
        "}\n"
        "main <- function() {\n"
        "  weigh(3)\n"
        "}\n"
        "main()\n"
    ),
    "all on one line": ("weigh <- function(h) @\nr <- weigh(3)\n"),
    "handed behind its list": ('weigh <- function(h, unit) {\n  unit\n  @\n}\nr <- lapply(X = 1:2, weigh, unit = "kg")\n'),
    "calls itself": ("dig <- function(h) {\n  if (h > 2) {\n    @\n  }\n  dig(h + 1)\n}\ndig(1)\n"),
    "written for two lists": ("r <- mapply(function(h, b) {\n  s <- h + b\n  @\n}, 1:2, 3:4)\n"),
    "set by another sign": ("weigh = function(h) {\n  @\n}\nresult = weigh(2)\n"),
    "handed in a pipe": ("weigh <- function(h) {\n  @\n}\n1:3 |> lapply(weigh) |> unlist()\n"),
    "a method of a class": (
        'Hive <- setRefClass("Hive", fields = list(kg = "numeric"), methods = list(\n'
        "  weigh = function(h = 1) {\n"
        "    @\n"
        "  }\n"
        "))\n"
        "x <- Hive$new(kg = 3)\n"
        "x$weigh()\n"
    ),
    "handed to an own function": (
        "apply_twice <- function(g, h) {\n  g(g(h))\n}\nweigh <- function(h) {\n  @\n}\napply_twice(weigh, 3)\n"
    ),
    "handed by a name in quotes": ('weigh <- function(h) {\n  @\n}\nr <- sapply(1:2, "weigh")\n'),
    "written for groups": (
        'kg <- c(1, 2, 3)\nyard <- c("a", "b", "a")\nmeans <- tapply(kg, yard, function(h) {\n  k <- 1\n  @\n})\n'
    ),
    "written for a formula": (
        'df <- data.frame(kg = 1:4, yard = c("a", "b"))\nr <- aggregate(kg ~ yard, data = df, FUN = function(h) {\n  @\n})\n'
    ),
    "set in an environment": ("e <- new.env()\ne$weigh <- function(h) {\n  @\n}\ne$weigh(3)\n"),
    "called on two lines": (
        "weigh <- function(h) {\n"
        "  @\n"
        "}\n"
        "show_all <- function(hs) {\n"
        "  for (h in hs) {\n"
        "    print(weigh(h))\n"
        "  }\n"
        "}\n"
        "show_one <- function(h) {\n"
        "  weigh(h)\n"
        "}\n"
        "show_all(1:2)\n"
    ),
    "a block that is set": (
        "weigh <- function(h) {\n"
        "  if (h > 1) {\n"
        "    k <- 2\n"
        "  } else {\n"
        "    k <- 3\n"
        "  }\n"
        "  out <- {\n"
        "    @\n"
        "  }\n"
        "  out\n"
        "}\n"
        "res <- weigh(2)\n"
    ),
    "a helper within": (
        "main <- function() {\n  h <- 1\n  helper <- function(h) {\n    @\n  }\n  invisible(helper(h))\n}\nmain()\n"
    ),
    "a block within a guard": (
        'weigh <- function(h) {\n  tryCatch({\n    @\n  }, warning = function(w) message("w"))\n}\nweigh(1)\n'
    ),
    "written where it is handed on": ("r <- outer(1:2, 1:2, Vectorize(function(h, b) {\n  @\n}))\n"),
    "made of what is written": ("weigh <- Vectorize(function(h) {\n  @\n})\nr <- weigh(1:2)\n"),
    "behind an ending": ('weigh <- function(h) {\n  on.exit(cat("bye\\n"))\n  @\n}\nweigh(3)\n'),
    "an item of a list": ('make_hive <- function(h) {\n  list(\n    name = "oak",\n    kg = @\n  )\n}\nmake_hive(3)\n'),
}


def snag_of(program: str, folder: Path) -> tuple[str, int | None]:
    (folder / "hive.R").write_text(program)
    done = subprocess.run(
        ["Rscript", "hive.R"], cwd=folder, capture_output=True, text=True, stdin=subprocess.DEVNULL, timeout=60
    )
    assert done.returncode
    snag = read_and_diagnose(done.stderr, root=folder)[-1].snag_frame
    return done.stderr, snag.line if snag is not None else None


@pytest.mark.spread(12)
@pytest.mark.parametrize("failing", FAILING)
@pytest.mark.parametrize("place", PLACES)
def test_the_failing_line(place: str, failing: str, tmp_path: Path) -> None:
    program = PLACES[place].replace("@", failing)
    [line] = [number for number, row in enumerate(PLACES[place].split("\n"), 1) if "@" in row]
    printed, found = snag_of(program, tmp_path)
    assert found == line, printed


OUTSIDE = [
    ("what no call is told of", "kilos <- list(3, 4)\nbad <- as.numeric(list(1:2, 3))\n", 2),
    (
        "a row that stands there twice",
        "same <- 1\nf <- function(a) {\n  a\n}; g <- f(2)\nkilos <- as.numeric(list(1:2))\nkilos <- 3\n",
        5,
    ),
    ("the second of two rows alike", "x <- 3\nprint(nchar(x))\nx <- quote(f(x))[[9]]\n", 3),
    ("a call over several rows", "# hives\n\nkilos <- as.numeric(\n  list(1:2, 3)\n)\n", 3),
    ("what a function of R calls", "m <- matrix(1:6, nrow = 2)\ncolnames(m) <- c('a', 'b')\nprint(m)\n", 2),
]


@pytest.mark.parametrize(("text", "line"), [row[1:] for row in OUTSIDE], ids=[row[0] for row in OUTSIDE])
def test_what_fails_outside_of_functions_is_placed_by_what_was_done(
    text: str, line: int, project: Callable[[Mapping[str, str]], Path]
) -> None:
    folder = project({"hives.R": text})
    done = jamkey("run", "--no-keep", "--save", "out.json", "--", "Rscript", "hives.R", cwd=folder)
    assert done.status == 1
    (jam,) = parse((folder / "out.json").read_text()).jams
    assert jam.snag is not None
    assert (jam.frames[jam.snag].file, jam.frames[jam.snag].line) == ("hives.R", line)


def test_a_script_sees_nothing_of_the_counting(project: Callable[[Mapping[str, str]], Path]) -> None:
    text = (
        "x <- 1\nprint(ls())\nprint(search()[[1]])\nf <- function() stop('none')\ninvisible(try(f(), silent = TRUE))\ncat(x)\n"
    )
    folder = project({"hives.R": text})
    plain = subprocess.run(["Rscript", "hives.R"], cwd=folder, capture_output=True, text=True, check=True)
    watched = jamkey("run", "--no-keep", "--", "Rscript", "hives.R", cwd=folder)
    assert (watched.status, watched.out) == (0, plain.stdout)
