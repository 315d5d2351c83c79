"""Programs of other runtimes that ended well, watched: what was odd in them, told with its values; healthy ones left alone."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.languages import language_of
from jamkey.model import Finding
from jamkey.observe.target import script_target
from jamkey.runs.doubts import watched
from jamkey.runs.weaving import WAYS, Weaver
from tests.conftest import jamkey

Project = Callable[..., Path]
ENDS = {"javascript": "js", "lua": "lua", "r": "R", "octave": "m"}

#: (language, what was odd, line, what the reason says, program).
ODD: list[tuple[str, str, int, str, str]] = [
    (
        "javascript",
        "joined",
        3,
        '"9"',
        "const kilos = ['9', '10'];\nlet total = 0;\nfor (const k of kilos) total = total + k;\nconsole.log(total);\n",
    ),
    (
        "javascript",
        "joined",
        3,
        '"9"',
        "const kilos = ['9', '10'];\nlet total = 0;\nfor (const k of kilos) total += k;\nconsole.log(total);\n",
    ),
    ("javascript", "text-order", 2, "10", "const kilos = [9, 10, 8];\nkilos.sort();\nconsole.log(kilos[0]);\n"),
    ("javascript", "text-order", 1, "10", "console.log([9, 10, 8].sort()[0]);\n"),
    ("javascript", "text-order", 2, '"9" > "10"', "const [a, b] = '9 10'.split(' ');\nif (a > b) console.log('more');\n"),
    (
        "javascript",
        "never-equal",
        3,
        '3 === "3"',
        "const wanted = '3';\nfor (const n of [1, 3]) {\n  if (n === wanted) console.log('found');\n}\n",
    ),
    ("javascript", "nearly-equal", 1, "0.3", "console.log(0.1 + 0.2 === 0.3);\n"),
    ("javascript", "nearly-there", 2, "`kilos`", "const hive = { name: 'oak', kilos: 3 };\nconsole.log(hive.kilo);\n"),
    ("javascript", "not-there", 2, "`tower`", "const hive = { name: 'oak', kilos: 3 };\nconsole.log(hive.tower);\n"),
    ("javascript", "gaps-made", 1, "41 kg", "console.log(Number('41 kg'));\n"),
    ("javascript", "fraction-lost", 1, "3.75", "console.log(parseInt('3.75'));\n"),
    (
        "javascript",
        "gaps-spread",
        2,
        "0 / 0",
        "const kilos = [];\nconst mean = kilos.reduce((a, b) => a + b, 0) / kilos.length;\nconsole.log(mean);\n",
    ),
    ("javascript", "dropped", 2, '" oak"', "const name = ' oak';\nname.trim();\nconsole.log(name);\n"),
    ("javascript", "dropped", 2, "[1, 2]", "const kilos = [1, 2];\nkilos.concat([3]);\nconsole.log(kilos);\n"),
    (
        "javascript",
        "last-left-out",
        3,
        "2 of 4",
        "const k = [1, 2, 3, 4];\nlet t = 0;\nfor (let i = 0; i < k.length - 1; i++) t += k[i];\nconsole.log(t);\n",
    ),
    (
        "javascript",
        "first-left-out",
        3,
        "1 to 3 of 4",
        "const k = [1, 2, 3, 4];\nlet t = 0;\nfor (let i = 1; i < k.length; i++) t += k[i];\nconsole.log(t);\n",
    ),
    ("javascript", "past-end", 2, "0 to 3", "const k = [1, 2, 3];\nfor (let i = 0; i <= k.length; i++) console.log(k[i]);\n"),
    (
        "javascript",
        "nothing-left",
        2,
        "empty",
        "const found = [1, 2].filter((k) => k > 5);\nfor (const k of found) console.log(k);\nconsole.log('done');\n",
    ),
    ("javascript", "not-called", 2, "function", "const isFull = () => false;\nif (isFull) console.log('full');\n"),
    ("javascript", "holds-always", 2, "empty array", "const found = [];\nif (found) console.log('some');\n"),
    (
        "javascript",
        "gives-nothing",
        2,
        "`heavy`",
        "function heavy(kilos) {\n  kilos.forEach((k) => { if (k > 2) return k; });\n}\nconsole.log(heavy([1, 3]));\n",
    ),
    ("lua", "joined", 1, "12 .. 30", "local a, b = 12, 30; print(a .. b)\n"),
    ("lua", "text-order", 2, '"10"', "local k = { '9', '10' }\ntable.sort(k)\nprint(k[1], k[2])\n"),
    ("lua", "text-order", 2, '"9" > "10"', "local a, b = '9', '10'\nif a > b then print('more') end\n"),
    (
        "lua",
        "never-equal",
        2,
        '3 == "3"',
        "local wanted = '3'\nfor _, n in ipairs({ 1, 3 }) do if n == wanted then print(n) end end\n",
    ),
    ("lua", "nearly-there", 2, "`kilos`", "local hive = { name = 'oak', kilos = 3 }\nprint(hive.kilo)\n"),
    ("lua", "gaps-made", 1, "3,5", "print(tonumber('3,5'))\n"),
    ("lua", "gaps-spread", 2, "0 / 0", "local sum, count = 0, 0\nprint(sum / count)\n"),
    ("lua", "dropped", 2, "OAK", "local name = 'oak'\nname:upper()\nprint(name)\n"),
    (
        "lua",
        "last-left-out",
        2,
        "1 to 2 of 3",
        "local k, t = { 3, 1, 4 }, 0\nfor i = 1, #k - 1 do t = t + k[i] end\nprint(t)\n",
    ),
    ("lua", "nothing-used", 2, "place 0", "local k = { 3, 1, 4 }\nfor i = 0, 2 do print(k[i]) end\n"),
    ("lua", "cut-short", 2, "1 to 1", "local k = { 3, nil, 4 }\nfor _, v in ipairs(k) do print(v) end\n"),
    ("lua", "holds-always", 2, "0", "local left = 0\nif left then print('some left') end\n"),
    ("lua", "not-counted", 2, "names only", "local k = { oak = 3, elm = 4 }\nprint(#k)\n"),
    ("r", "text-order", 2, '"10"', "k <- c('9', '10', '8')\nprint(sort(k)[1])\n"),
    ("r", "text-order", 2, '"9"', "k <- '9'\nif (k > 10) print('more')\n"),
    ("r", "codes-read", 2, "165", "k <- factor(c('165', '172', '165'))\nprint(sum(as.numeric(k)))\n"),
    ("r", "recycled", 2, "4 values", "k <- c(3, 1, 4, 1)\nprint(k * c(1, 10))\n"),
    ("r", "never-equal", 2, "NA", "k <- c(3, NA)\nprint(sum(k == NA, na.rm = TRUE))\n"),
    ("r", "nearly-equal", 1, "0.3", "print(0.1 + 0.2 == 0.3)\n"),
    ("r", "nearly-there", 2, "`kilos`", "hive <- list(name = 'oak', kilos = 3)\nprint(hive$kilios)\n"),
    ("r", "gaps-made", 1, "12,5", "print(suppressWarnings(as.numeric('12,5')))\n"),
    ("r", "gaps-skipped", 1, "1 of 3", "print(mean(c(3, NA, 4), na.rm = TRUE))\n"),
    (
        "r",
        "rows-more",
        3,
        "2 rows become 4",
        "a <- data.frame(hive = c('oak', 'elm'))\nb <- data.frame(hive = c('oak', 'oak', 'elm', 'elm'), kilos = 1:4)\nm <- merge(a, b)\nprint(nrow(m))\n",
    ),
    ("r", "last-left-out", 3, "1 to 2 of 3", "k <- c(3, 1, 4)\nt <- 0\nfor (i in 1:(length(k) - 1)) t <- t + k[i]\nprint(t)\n"),
    ("r", "counts-down", 2, "1 : 0", "k <- c()\nfor (i in 1:length(k)) cat('hive', i, '\\n')\n"),
    ("r", "dropped", 3, "oak", "f <- function() {\n  name <- 'oak'\n  toupper(name)\n  cat(name, '\\n')\n}\nf()\n"),
    ("r", "class-lost", 1, "2026", "for (day in as.Date('2026-05-01')) print(day)\n"),
    ("octave", "whole-column", 2, "3 values", "k = [3; 1; 4];\nfor v = k\n  disp (v);\nend\n"),
    ("octave", "spread-out", 2, "3x1", "k = [3; 1; 4]; w = [1 2 3];\ndisp (k + w);\n"),
    ("octave", "text-counted", 2, "'5'", "k = '5';\ndisp (k + 1);\n"),
    (
        "octave",
        "wrapped-round",
        2,
        "200 + 100 is 255",
        "k = uint8 (200); n = uint8 (100);\nt = k + n; printf ('%s %d\\n', class (t), t);\n",
    ),
    ("octave", "gaps-spread", 2, "0 / 0", "s = 0; n = 0;\ndisp (s / n);\n"),
    ("octave", "gaps-made", 1, "12,5 kg", "disp (str2double ('12,5 kg'));\n"),
    ("octave", "nearly-equal", 2, "0.3", "a = 0.1 + 0.2;\nif (a == 0.3) disp ('same'); else disp ('other'); end\n"),
    (
        "octave",
        "last-left-out",
        3,
        "1 to 2 of 3",
        "k = [3 1 4];\nt = 0;\nfor i = 1:numel (k) - 1, t = t + k(i); end\ndisp (t);\n",
    ),
    ("octave", "not-all", 2, "not all", "k = [1 0 1];\nif (k) disp ('all'); else disp ('not'); end\n"),
]

#: Programs with the same constructs, in which nothing is odd.
HEALTHY: dict[str, str] = {
    "javascript": (
        "const hives = [{ name: 'oak', kilos: 31 }, { name: 'elm', kilos: 8 }];\n"
        "const find = (name) => hives.find((hive) => hive.name === name);\n"
        "let total = 0;\nfor (let i = 0; i < hives.length; i++) total += hives[i].kilos;\n"
        "for (let i = 1; i < hives.length; i++) console.log(hives[i].kilos - hives[i - 1].kilos);\n"
        "const kilos = hives.map((hive) => hive.kilos).sort((a, b) => a - b);\n"
        "class Shelf {\n  #jars = [];\n  add(jar = 'a' + 1) { this.#jars.push(jar); return this; }\n  get size() { return this.#jars.length; }\n}\n"
        "const { name, kilos: first = 1 } = hives[0];\nconst counts = {};\nfor (const { name: n } of hives) counts[n] = (counts[n] || 0) + 1;\n"
        "console.log(`${name} ${first / 2}`, find('oak')?.kilos, kilos, new Shelf().add('x').size, counts, typeof total, total ** 2 % 7);\n"
        "hives.length -= 1;\nconsole.log(hives.length);\n"
    ),
    "lua": (
        "local Hive = {}\nHive.__index = Hive\nfunction Hive.new(name) return setmetatable({ name = name, kilos = {} }, Hive) end\n"
        "function Hive:add(k) self.kilos[#self.kilos + 1] = k return self end\n"
        "function Hive:total() local t = 0 for i = 1, #self.kilos do t = t + self.kilos[i] end return t end\n"
        "local oak = Hive.new('oak'):add(3):add(4)\nlocal function pair() return 1, 2 end\nlocal a, b = pair()\n"
        "local names = {}\nfor name in ('oak elm'):gmatch('%a+') do names[#names + 1] = name end\ntable.sort(names)\n"
        "if not oak.queen then print('no queen') end\nprint(oak:total() / 2, a + b, table.concat(names, ' '), select('#', pair()))\n"
    ),
    "r": (
        "hives <- data.frame(name = c('oak', 'elm'), kilos = c(31, 8))\nmean_of <- function(x, ...) {\n  if (length(x) == 0) return(NA)\n  sum(x) / length(x)\n}\n"
        "hives$share <- hives$kilos / sum(hives$kilos)\nfor (i in seq_len(nrow(hives))) cat(hives$name[i], hives[i, 'kilos'], '\\n')\n"
        "fit <- lm(share ~ kilos + I(kilos ^ 2), data = rbind(hives, hives))\nprint(sapply(split(hives$kilos, hives$name), mean_of))\n"
        "invisible(mean_of(1))\nhives[order(hives$kilos), ]\nsubset(hives, kilos > 9 & name %in% c('oak'))$kilos |> sum()\nx <- 1:3\nx[2] <- 5L\nx\n"
    ),
    "octave": (
        "1;\nfunction r = share (part, whole)\n  r = part ./ whole;\nend\nk = [31 8; 4 5];\nk(1, 2) = 9;\nt = 0;\n"
        "for i = 1:numel (k)\n  t += k(i);\nend\nfor row = k'\n  printf ('%d %d\\n', row(1), row(2));\nend\n"
        "half = @(x) x / 2;\ndisp (half (t) + share (1, 4));\ns.name = 'oak';\nif (strcmp (s.name, 'oak') && t > 3), disp ([t - 1, t -1]); end\n"
        "c = {1, 'two'};\nprintf ('%s %d\\n', c{2}, c{1} + k(end, 1));\n"
    ),
}


def look(folder: Path, file: str) -> list[Finding]:
    return watched(script_target(str(folder / file), []), folder, limit=30.0).findings


@pytest.mark.spread(4)
@pytest.mark.parametrize(
    ("language", "code", "line", "says", "text"), ODD, ids=[f"{row[0]}-{row[1]}-{number}" for number, row in enumerate(ODD)]
)
def test_what_is_odd_is_told_with_its_values(
    language: str, code: str, line: int, says: str, text: str, project: Project
) -> None:
    found = look(project({f"a.{ENDS[language]}": text}), f"a.{ENDS[language]}")
    named = [(item.rule, item.line) for item in found]
    assert (code, line) in named, found
    assert says in next(item.reason for item in found if item.rule == code)


#: What looks odd and is as it is meant: (file, program).
MEANT: list[tuple[str, str]] = [
    ("a.js", "const k = [9, 10, 8];\nk.sort((a, b) => a - b);\nk.reverse();\nk.splice(0, 1);\nk.fill(3);\nconsole.log(k);\n"),
    ("a.js", "console.log(parseInt('10', 2), parseInt('7', 10));\n"),
    (
        "a.js",
        "function each(list, done) {\n  for (const k of list) console.log(k);\n  if (done) done();\n}\neach([1], () => {});\neach([2]);\n",
    ),
    ("a.js", "for (const found of [[], [1]]) {\n  for (const k of found) console.log(k);\n}\n"),
    ("a.js", "class Hive { add() {} }\nclass Box { add() { return 1; } }\nconsole.log(new Box().add());\nnew Hive().add();\n"),
    ("a.js", "const k = [1, 2];\nlet i = 0;\nwhile (k[i]) { console.log(k[i]); i++; }\n"),
    ("a.lua", "local k, i = { 3, 4 }, 1\nwhile k[i] do print(k[i]) i = i + 1 end\n"),
    ("a.lua", "local n = tonumber('x') or 0\nif not tonumber('y') then n = n + 1 end\nprint(n)\n"),
    (
        "a.lua",
        "local left = { oak = 0 }\nfor _, name in ipairs({ 'oak', 'elm' }) do\n  if left[name] then print(name) end\nend\n",
    ),
    ("a.R", "total <- 0\nadd <- function(k) {\n  total <- total + k\n}\ntotal <- add(3)\nprint(total)\n"),
    ("a.m", "c = 'd';\nprintf ('%d\\n', c - 'a');\n"),
]


@pytest.mark.spread(2)
@pytest.mark.parametrize(("file", "text"), MEANT)
def test_what_is_meant_is_left_alone(file: str, text: str, project: Project) -> None:
    folder = project(
        {file: text, f"odd.{file[2:]}": text + _odd_line(next(name for name, end in ENDS.items() if end == file[2:]))}
    )
    assert look(folder, file) == []
    # it is watched, for something behind it is seen
    assert [item.line for item in look(folder, f"odd.{file[2:]}")] == [text.count("\n") + 1]


@pytest.mark.parametrize("language", list(HEALTHY))
def test_healthy_programs_print_the_same_and_are_left_alone(language: str, project: Project) -> None:
    file = f"a.{ENDS[language]}"
    folder = project({file: HEALTHY[language], f"odd.{ENDS[language]}": HEALTHY[language] + _odd_line(language)})
    assert look(folder, file) == []
    # the very program with one odd line at its end is watched to there: nothing before it changed what is printed
    assert [item.line for item in look(folder, f"odd.{ENDS[language]}")] == [HEALTHY[language].count("\n") + 1]


def _odd_line(language: str) -> str:
    return {
        "javascript": "console.log(0.1 + 0.2 === 0.3);\n",
        "lua": "print(tonumber('3,5'))\n",
        "r": "print(0.1 + 0.2 == 0.3)\n",
        "octave": "disp (str2double ('3,5 kg'));\n",
    }[language]


@pytest.mark.parametrize("language", list(WAYS))
def test_what_is_woven_is_still_the_language(language: str) -> None:
    known = language_of(f"a.{ENDS[language]}")
    assert known is not None
    weaver = Weaver(known.code(HEALTHY[language]), known, "a", 1)
    woven = weaver.woven()
    assert known.first_error(woven) in (None, 0) and len(weaver.sites) > 10
    # each place is one of the text's own, and has one call
    lines = HEALTHY[language].split("\n")
    assert all(site.code.source.split("\n")[0] in lines[site.line - 1] for site in weaver.sites)
    opened = WAYS[language].call.split("{0}")[0]
    assert woven.count(opened) == len(weaver.sites)


@pytest.mark.spread(3)
@pytest.mark.parametrize("number", range(0, len(ODD), 2))
def test_names_and_place_change_nothing(number: int, project: Project) -> None:
    language, code, line, _, text = ODD[number]
    renamed = re.sub(r"\b(total|found|wanted|k)\b(?!['\"`])", r"\1_of_june", text)
    blank = {"octave": "%", "lua": "--", "r": "#"}.get(language, "//")
    file = f"b.{ENDS[language]}"
    found = look(project({file: f"{blank} the apiary\n\n" + renamed}), file)
    assert (code, line + 2) in [(item.rule, item.line) for item in found], found


def test_a_program_that_asks_for_its_own_source_is_not_spoken_of(project: Project) -> None:
    text = "print(0.1 + 0.2 == 0.3)\nf <- function(x) deparse(substitute(x))\nprint(f(1 + 2))\n"
    assert look(project({"a.R": text}), "a.R") == []


@pytest.mark.parametrize(
    ("file", "text"),
    [
        ("a.js", "console.log(Math.random(), 0.1 + 0.2 === 0.3);\n"),
        ("a.lua", "print(os.clock() * 1e9 // 1, 0.1 + 0.2 == 0.3, tostring({}))\n"),
    ],
)
def test_a_program_that_prints_something_else_each_time_is(file: str, text: str, project: Project) -> None:
    assert [item.rule for item in look(project({file: text}), file)] == ["nearly-equal"]


def test_a_second_file_is_watched_too_and_nothing_is_left_behind(project: Project) -> None:
    folder = project(
        {
            "main.js": "const { total } = require('./tally');\nconsole.log(total(['9', '10']));\n",
            "tally.js": "exports.total = (kilos) => {\n  let sum = 0;\n  for (const k of kilos) sum += k;\n  return sum;\n};\n",
        }
    )
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    done = jamkey("run", "--doubts", "--no-keep", "main.js", cwd=folder)
    assert (done.status, done.out) == (0, "0910\n")
    assert "tally.js, line 3" in done.err and 'numbers are joined as texts here: 0 + "9" is "09"' in " ".join(done.err.split())
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == before


def test_secrets_are_not_shown(project: Project) -> None:
    text = "const password = '12';\nconst both = password + 3; // password\nconsole.log(both.length);\n"
    (found,) = look(project({"a.js": text}), "a.js")
    assert found.line == 2 and "12" not in found.reason
