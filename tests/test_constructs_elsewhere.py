"""The same in other languages, run by their own runtimes: what a bad value is made by is among the first three roots.

Each program fails by itself; the line to change, or each of those that will do, carries `#@`.
"""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import pytest

from jamkey.pipeline import read_and_diagnose

JAVASCRIPT: dict[str, str] = {
    "assignment": "const kilos = null; #@\nconsole.log(kilos.toFixed(1));\n",
    "assigned later": "let kilos = 3;\nkilos = undefined; #@\nconsole.log(kilos.toFixed(1));\n",
    "branch": "function weigh(old) {\n  let kilos;\n  if (old) {\n    kilos = null; #@\n  } else {\n    kilos = 3;\n  }\n  return kilos;\n}\nconsole.log(weigh(true).toFixed(1));\n",
    "ternary": "const old = true;\nconst kilos = old ? null : 3; #@\nconsole.log(kilos.toFixed(1));\n",
    "no return": "function heaviest(kilos) { #@\n  const top = Math.max(...kilos); #@\n} #@\nconsole.log(heaviest([3, 4]).toFixed(1));\n",
    "bare return": "function place(name) {\n  if (!name) {\n    return; #@\n  }\n  return name;\n}\nconsole.log(place('').length);\n",
    "arrow without a value": "const double = (kilos) => { kilos * 2; }; #@\nconsole.log(double(3).toFixed(1));\n",
    "argument": "function show(kilos) {\n  return kilos.toFixed(1);\n}\nconsole.log(show(null)); #@\n",
    "argument left out": "function show(name, kilos) {\n  return name + kilos.toFixed(1);\n}\nconsole.log(show('oak')); #@\n",
    "argument through two calls": "function inner(kilos) {\n  return kilos.toFixed(1);\n}\nfunction outer(kilos) {\n  return inner(kilos);\n}\nconsole.log(outer(null)); #@\n",
    "default": "function show(kilos = null) { #@\n  return kilos.toFixed(1);\n}\nconsole.log(show());\n",
    "closure": "function scale(by) {\n  return (kilos) => kilos.toFixed(by.length);\n}\nconst weigh = scale(null); #@\nconsole.log(weigh(3));\n",
    "item of a list": "const kilos = [31, null, 28]; #@\nfor (const one of kilos) {\n  console.log(one.toFixed(1));\n}\n",
    "callback": "const hives = [{ kilos: 31 }, { kilo: 28 }]; #@\nhives.forEach((hive) => {\n  console.log(hive.kilos.toFixed(1));\n});\n",
    "map without a value": "const kilos = [31, 28].map((one) => { one * 2; }); #@\nconsole.log(kilos[0].toFixed(1));\n",
    "object literal": "const hive = { name: 'oak', kilos: null }; #@\nconsole.log(hive.kilos.toFixed(1));\n",
    "key set later": "const hive = {};\nhive.kilos = null; #@\nconsole.log(hive.kilos.toFixed(1));\n",
    "nested object": "const hives = { oak: { kilos: null } }; #@\nconsole.log(hives.oak.kilos.toFixed(1));\n",
    "misspelt key": "const hive = { kilos: 31 };\nconsole.log(hive.kilo.toFixed(1)); #@\n",
    "taken apart": "const { kilos } = { kilo: 31 }; #@\nconsole.log(kilos.toFixed(1));\n",
    "list taken apart": "const [name, kilos] = ['oak']; #@\nconsole.log(name, kilos.toFixed(1));\n",
    "found nothing": "const hives = [{ name: 'oak' }];\nconst hive = hives.find((one) => one.name === 'elm'); #@\nconsole.log(hive.name);\n",
    "property of a class": "class Hive {\n  constructor() {\n    this.kilos = null; #@\n  }\n}\nconsole.log(new Hive().kilos.toFixed(1));\n",
    "parameter of a class": "class Hive {\n  constructor(kilos) {\n    this.kilos = kilos;\n  }\n  show() {\n    return this.kilos.toFixed(1);\n  }\n}\nconsole.log(new Hive(null).show()); #@\n",
    "super": "class Box {\n  constructor(kilos) {\n    this.kilos = kilos;\n  }\n}\nclass Hive extends Box {\n  constructor() {\n    super(null); #@\n  }\n}\nconsole.log(new Hive().kilos.toFixed(1));\n",
    "getter": "class Hive {\n  get kilos() {\n    return null; #@\n  }\n}\nconsole.log(new Hive().kilos.toFixed(1));\n",
    "method": "class Store {\n  find(name) {\n    if (name === 'oak') { #@\n      return 'hill'; #@\n    }\n  } #@\n}\nconsole.log(new Store().find('elm').length);\n",
    "set from a function": "let total = 0;\nfunction start() {\n  total = null; #@\n}\nstart();\nconsole.log(total.toFixed(1));\n",
    "generator": "function* weigh() {\n  yield 31;\n  yield null; #@\n}\nfor (const kilos of weigh()) {\n  console.log(kilos.toFixed(1));\n}\n",
    "own name hides a builtin": "const Math = { PI: 3 }; #@\nconsole.log(Math.max(1, 2));\n",
}
LUA: dict[str, str] = {
    "assignment": "local kilos = nil #@\nprint(kilos + 1)\n",
    "assigned later": "local kilos = 3\nkilos = nil #@\nprint(kilos + 1)\n",
    "branch": "local function weigh(old)\n  local kilos\n  if old then\n    kilos = nil #@\n  else\n    kilos = 3\n  end\n  return kilos\nend\nprint(weigh(true) + 1)\n",
    "no return": "local function heaviest(a, b) #@\n  local top = math.max(a, b) #@\nend #@\nprint(heaviest(3, 4) + 1)\n",
    "returned nil": "local function place(name)\n  return nil #@\nend\nprint(#place('oak'))\n",
    "argument": "local function show(kilos)\n  return kilos + 1\nend\nprint(show(nil)) #@\n",
    "argument left out": "local function show(name, kilos)\n  return name .. kilos\nend\nprint(show('oak')) #@\n",
    "argument through two calls": "local function inner(kilos)\n  return kilos + 1\nend\nlocal function outer(kilos)\n  local more = inner(kilos)\n  return more\nend\nprint(outer(nil)) #@\n",
    "closure": "local function scale(by)\n  return function(kilos)\n    return kilos * by\n  end\nend\nlocal weigh = scale(nil) #@\nprint(weigh(3))\n",
    "item of a table": "local kilos = {31, 'x', 28} #@\nlocal total = 0\nfor place, one in ipairs(kilos) do\n  total = total + one\nend\nprint(total)\n",
    "one past the end": "local kilos = {31, 28}\nfor place = 1, 3 do #@\n  print(kilos[place] + 1)\nend\n",
    "counting from nothing": "local kilos = {31, 28}\nfor place = 0, #kilos do #@\n  print(kilos[place] + 1)\nend\n",
    "field": "local hive = {name = 'oak', kilos = {}} #@\nprint(hive.kilos + 1)\n",
    "field set later": "local hive = {}\nhive.kilos = {} #@\nprint(hive.kilos + 1)\n",
    "misspelt field": "local hive = {kilos = 31}\nprint(hive.kilo + 1) #@\n",
    "nested table": "local hives = {oak = {kilos = {}}} #@\nprint(hives.oak.kilos + 1)\n",
    "misspelt name": "local kilos = 3\nprint(kilso + 1) #@\n",
    "method": "local Hive = {}\nHive.__index = Hive\nfunction Hive.new()\n  return setmetatable({kilos = 'oak'}, Hive) #@\nend\nfunction Hive:gain()\n  return self.kilos - 1\nend\nprint(Hive.new():gain())\n",
    "dot for a colon": "local Hive = {kilos = 3}\nfunction Hive:gain()\n  return self.kilos - 1\nend\nprint(Hive.gain()) #@\n",
    "found nothing": "local kilos = string.match('oak', '%d+') #@\nprint(kilos + 1)\n",
    "no number": "local kilos = tonumber('31 kg') #@\nprint(kilos + 1)\n",
    "set from a function": "local total = 0\nlocal function start()\n  total = nil #@\nend\nstart()\nprint(total + 1)\n",
    "several given back": "local function weigh()\n  return 'oak' #@\nend\nlocal name, kilos = weigh() #@\nprint(name, kilos + 1)\n",
    "joined text": "local hive = {name = 'oak'}\nprint('hive ' .. hive.place) #@\n",
    "called twice": "local function frames()\n  return 3\nend\nlocal count = frames() #@\nprint(count())  #@\n",
}
R: dict[str, str] = {
    "assignment": "kilos <- 'oak' #@\nprint(kilos + 1)\n",
    "assigned later": "kilos <- 3\nkilos <- 'oak' #@\nprint(kilos + 1)\n",
    "branch": "weigh <- function(old) {\n  if (old) {\n    kilos <- 'oak' #@\n  } else {\n    kilos <- 3\n  }\n  kilos\n}\nprint(weigh(TRUE) + 1)\n",
    "given back": "weigh <- function() {\n  'oak' #@\n}\nprint(weigh() + 1)\n",
    "returned": "weigh <- function() {\n  return('oak') #@\n}\nprint(weigh() + 1)\n",
    "argument": "gain <- function(new, old) {\n  new - old\n}\nprint(gain(31, 'oak')) #@\n",
    "argument by name": "gain <- function(new, old) {\n  new - old\n}\nprint(gain(old = 'oak', new = 31)) #@\n",
    "argument left out": "gain <- function(new, old) {\n  new - old\n}\nprint(gain(31)) #@\n",
    "default": "gain <- function(new, old = 'oak') { #@\n  new - old\n}\nprint(gain(31))\n",
    "argument through two calls": "inner <- function(kilos) {\n  kilos + 1\n}\nouter <- function(kilos) {\n  more <- inner(kilos)\n  more\n}\nprint(outer('oak')) #@\n",
    "item of a list": "hives <- list(31, 'oak') #@\ntotal <- 0\nfor (one in hives) {\n  total <- total + one\n}\nprint(total)\n",
    "field of a list": "hive <- list(name = 'oak', kilos = 'much') #@\nprint(hive$kilos + 1)\n",
    "field set later": "hive <- list()\nhive$kilos <- 'much' #@\nprint(hive$kilos + 1)\n",
    "misspelt name": "kilos <- 3\nprint(kilso + 1) #@\n",
    "misspelt function": "weigh <- function(kilos) kilos + 1\nprint(wiegh(3)) #@\n",
    "past the end": "hives <- list(31, 28) #@\nprint(hives[[3]]) #@\n",
    "mixed vector": "kilos <- c(31, 'oak') #@\nprint(sum(kilos))\n",
    "a test of nothing": "kilos <- NULL #@\nif (kilos > 3) {\n  print('heavy')\n}\n",
    "a test of a gap": "kilos <- NA #@\nif (kilos > 3) {\n  print('heavy')\n}\n",
    "applied": "kilos <- list(31, 'oak') #@\nprint(sapply(kilos, function(one) one + 1))\n",
    "closure": "scale <- function(by) {\n  function(kilos) kilos * by\n}\nweigh <- scale('oak') #@\nprint(weigh(3))\n",
    "set from within": "total <- 0\nstart <- function() {\n  total <<- 'oak' #@\n}\nstart()\nprint(total + 1)\n",
    "no function": "frames <- 3 #@\nprint(frames(2)) #@\n",
    "column that is not there": "hives <- data.frame(kilos = c(31, 28)) #@\nprint(mean(hives[, 'kilo'])) #@\n",
    "own check": "check <- function(kilos) {\n  if (kilos < 0) stop('no hive weighs less than nothing')\n  kilos\n}\nprint(check(-3)) #@\n",
}
OCTAVE: dict[str, str] = {
    "assignment": "kilos = {}; #@\ndisp (kilos + 1)\n",
    "assigned later": "kilos = 3;\nkilos = {}; #@\ndisp (kilos + 1)\n",
    "branch": "1;\nfunction kilos = weigh (old)\n  if (old)\n    kilos = {}; #@\n  else\n    kilos = 3;\n  end\nend\ndisp (weigh (true) + 1)\n",
    "output not set": "1;\nfunction kilos = weigh (old) #@\n  if (old) #@\n    kilos = 3; #@\n  end\nend #@\ndisp (weigh (false) + 1)\n",
    "given back": "1;\nfunction kilos = weigh ()\n  kilos = {}; #@\nend\ndisp (weigh () + 1)\n",
    "argument": "1;\nfunction more = gain (new, old)\n  more = new - old;\nend\ndisp (gain (31, {})) #@\n",
    "argument left out": "1;\nfunction more = gain (new, old)\n  more = new - old;\nend\ndisp (gain (31)) #@\n",
    "argument through two calls": "1;\nfunction more = inner (kilos)\n  more = kilos + 1;\nend\nfunction more = outer (kilos)\n  more = inner (kilos);\nend\ndisp (outer ({})) #@\n",
    "past the end": "kilos = [31, 28];\nfor place = 1:3 #@\n  disp (kilos(place)) #@\nend\n",
    "counting from nothing": "kilos = [31, 28];\nfor place = 0:2 #@\n  disp (kilos(place)) #@\nend\n",
    "field of a struct": "hive.name = 'oak';\nhive.kilos = {}; #@\ndisp (hive.kilos + 1)\n",
    "misspelt field": "hive.kilos = 31;\ndisp (hive.kilo + 1) #@\n",
    "misspelt name": "kilos = 3;\ndisp (kilso + 1) #@\n",
    "misspelt function": "1;\nfunction more = weigh (kilos)\n  more = kilos + 1;\nend\ndisp (wiegh (3)) #@\n",
    "sizes": "low = [1, 2, 3]; #@\nhigh = [4, 5]; #@\ndisp (low + high)\n",
    "sizes of a product": "table = ones (2, 3); #@\nrow = [1, 2]; #@\ndisp (table * row)\n",
    "rows that do not fit": "low = [1, 2]; #@\ntable = [low; 3, 4, 5]; #@\ndisp (table)\n",
    "a cell for a number": "kilos = {31, 28}; #@\ndisp (sum (kilos))\n",
    "item of a cell": "kilos = {31, {}}; #@\ntotal = 0;\nfor place = 1:2\n  total = total + kilos{place};\nend\ndisp (total)\n",
    "own check": "1;\nfunction check (kilos)\n  if (kilos < 0)\n    error ('no hive weighs less than nothing');\n  end\nend\ncheck (-3) #@\n",
    "too many arguments": "1;\nfunction more = weigh (kilos)\n  more = kilos + 1;\nend\ndisp (weigh (3, 4)) #@\n",
    "too many results": "1;\nfunction weigh (kilos) #@\n  disp (kilos)\nend\nmore = weigh (3); #@\n",
    "anonymous": "double = @(kilos) kilos * {}; #@\ndisp (double (3))\n",
    "text for a number": "kilos = 'oak'; #@\ntable = ones (2, 2);\ndisp (table * kilos)\n",
    "no number in a text": "parts = strsplit ('oak;31', ','); #@\ndisp (parts{2})\n",
}
TABLES = {
    "javascript": ("node", "main.js", JAVASCRIPT),
    "lua": ("lua5.4", "main.lua", LUA),
    "r": ("Rscript", "main.R", R),
    "octave": ("octave-cli", "main.m", OCTAVE),
}
#: What is not followed yet.
MISSED: dict[str, set[str]] = {"javascript": set(), "lua": set(), "r": set(), "octave": {"item of a cell"}}


@pytest.mark.parametrize("runtime", TABLES)
def test_roots_are_among_the_first_three(runtime: str, tmp_path: Path) -> None:
    program, name, table = TABLES[runtime]
    missed: dict[str, tuple[list[int], list[int]]] = {}
    for number, (construct, marked) in enumerate(table.items()):
        folder = tmp_path / str(number)
        folder.mkdir()
        (folder / name).write_text(re.sub(" +#@", "", marked), encoding="utf-8")
        done = subprocess.run([program, name], cwd=folder, capture_output=True, text=True, check=False)
        assert done.returncode, (construct, done.stdout)
        (jam,) = read_and_diagnose(done.stderr, root=folder)
        right = [line for line, row in enumerate(marked.split("\n"), 1) if "#@" in row]
        found = [root.line for root in jam.roots[:3]]
        if not set(found) & set(right):
            missed[construct] = (right, found)
    assert set(missed) == MISSED[runtime], missed


def test_the_tables_are_long() -> None:
    assert all(len(table) >= 25 for _, _, table in TABLES.values())
    assert all(names <= set(TABLES[runtime][2]) for runtime, names in MISSED.items())
    assert all(len(names) <= len(TABLES[runtime][2]) // 10 for runtime, names in MISSED.items())
