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
    "assignment": """\
const kilos = null; #@
console.log(kilos.toFixed(1));
""",
    "assigned later": """\
let kilos = 3;
kilos = undefined; #@
console.log(kilos.toFixed(1));
""",
    "branch": """\
function weigh(old) {
  let kilos;
  if (old) {
    kilos = null; #@
  } else {
    kilos = 3;
  }
  return kilos;
}
console.log(weigh(true).toFixed(1));
""",
    "ternary": """\
const old = true;
const kilos = old ? null : 3; #@
console.log(kilos.toFixed(1));
""",
    "no return": """\
function heaviest(kilos) { #@
  const top = Math.max(...kilos); #@
} #@
console.log(heaviest([3, 4]).toFixed(1));
""",
    "bare return": """\
function place(name) {
  if (!name) {
    return; #@
  }
  return name;
}
console.log(place('').length);
""",
    "arrow without a value": """\
const double = (kilos) => { kilos * 2; }; #@
console.log(double(3).toFixed(1));
""",
    "argument": """\
function show(kilos) {
  return kilos.toFixed(1);
}
console.log(show(null)); #@
""",
    "argument left out": """\
function show(name, kilos) {
  return name + kilos.toFixed(1);
}
console.log(show('oak')); #@
""",
    "argument through two calls": """\
function inner(kilos) {
  return kilos.toFixed(1);
}
function outer(kilos) {
  return inner(kilos);
}
console.log(outer(null)); #@
""",
    "default": """\
function show(kilos = null) { #@
  return kilos.toFixed(1);
}
console.log(show());
""",
    "closure": """\
function scale(by) {
  return (kilos) => kilos.toFixed(by.length);
}
const weigh = scale(null); #@
console.log(weigh(3));
""",
    "item of a list": """\
const kilos = [31, null, 28]; #@
for (const one of kilos) {
  console.log(one.toFixed(1));
}
""",
    "callback": """\
const hives = [{ kilos: 31 }, { kilo: 28 }]; #@
hives.forEach((hive) => {
  console.log(hive.kilos.toFixed(1));
});
""",
    "map without a value": """\
const kilos = [31, 28].map((one) => { one * 2; }); #@
console.log(kilos[0].toFixed(1));
""",
    "object literal": """\
const hive = { name: 'oak', kilos: null }; #@
console.log(hive.kilos.toFixed(1));
""",
    "key set later": """\
const hive = {};
hive.kilos = null; #@
console.log(hive.kilos.toFixed(1));
""",
    "nested object": """\
const hives = { oak: { kilos: null } }; #@
console.log(hives.oak.kilos.toFixed(1));
""",
    "misspelt key": """\
const hive = { kilos: 31 };
console.log(hive.kilo.toFixed(1)); #@
""",
    "taken apart": """\
const { kilos } = { kilo: 31 }; #@
console.log(kilos.toFixed(1));
""",
    "list taken apart": """\
const [name, kilos] = ['oak']; #@
console.log(name, kilos.toFixed(1));
""",
    "found nothing": """\
const hives = [{ name: 'oak' }];
const hive = hives.find((one) => one.name === 'elm'); #@
console.log(hive.name);
""",
    "property of a class": """\
class Hive {
  constructor() {
    this.kilos = null; #@
  }
}
console.log(new Hive().kilos.toFixed(1));
""",
    "parameter of a class": """\
class Hive {
  constructor(kilos) {
    this.kilos = kilos;
  }
  show() {
    return this.kilos.toFixed(1);
  }
}
console.log(new Hive(null).show()); #@
""",
    "super": """\
class Box {
  constructor(kilos) {
    this.kilos = kilos;
  }
}
class Hive extends Box {
  constructor() {
    super(null); #@
  }
}
console.log(new Hive().kilos.toFixed(1));
""",
    "getter": """\
class Hive {
  get kilos() {
    return null; #@
  }
}
console.log(new Hive().kilos.toFixed(1));
""",
    "method": """\
class Store {
  find(name) {
    if (name === 'oak') { #@
      return 'hill'; #@
    }
  } #@
}
console.log(new Store().find('elm').length);
""",
    "set from a function": """\
let total = 0;
function start() {
  total = null; #@
}
start();
console.log(total.toFixed(1));
""",
    "generator": """\
function* weigh() {
  yield 31;
  yield null; #@
}
for (const kilos of weigh()) {
  console.log(kilos.toFixed(1));
}
""",
    "own name hides a builtin": """\
const Math = { PI: 3 }; #@
console.log(Math.max(1, 2));
""",
}
LUA: dict[str, str] = {
    "assignment": """\
local kilos = nil #@
print(kilos + 1)
""",
    "assigned later": """\
local kilos = 3
kilos = nil #@
print(kilos + 1)
""",
    "branch": """\
local function weigh(old)
  local kilos
  if old then
    kilos = nil #@
  else
    kilos = 3
  end
  return kilos
end
print(weigh(true) + 1)
""",
    "no return": """\
local function heaviest(a, b) #@
  local top = math.max(a, b) #@
end #@
print(heaviest(3, 4) + 1)
""",
    "returned nil": """\
local function place(name)
  return nil #@
end
print(#place('oak'))
""",
    "argument": """\
local function show(kilos)
  return kilos + 1
end
print(show(nil)) #@
""",
    "argument left out": """\
local function show(name, kilos)
  return name .. kilos
end
print(show('oak')) #@
""",
    "argument through two calls": """\
local function inner(kilos)
  return kilos + 1
end
local function outer(kilos)
  local more = inner(kilos)
  return more
end
print(outer(nil)) #@
""",
    "closure": """\
local function scale(by)
  return function(kilos)
    return kilos * by
  end
end
local weigh = scale(nil) #@
print(weigh(3))
""",
    "item of a table": """\
local kilos = {31, 'x', 28} #@
local total = 0
for place, one in ipairs(kilos) do
  total = total + one
end
print(total)
""",
    "one past the end": """\
local kilos = {31, 28}
for place = 1, 3 do #@
  print(kilos[place] + 1)
end
""",
    "counting from nothing": """\
local kilos = {31, 28}
for place = 0, #kilos do #@
  print(kilos[place] + 1)
end
""",
    "field": """\
local hive = {name = 'oak', kilos = {}} #@
print(hive.kilos + 1)
""",
    "field set later": """\
local hive = {}
hive.kilos = {} #@
print(hive.kilos + 1)
""",
    "misspelt field": """\
local hive = {kilos = 31}
print(hive.kilo + 1) #@
""",
    "nested table": """\
local hives = {oak = {kilos = {}}} #@
print(hives.oak.kilos + 1)
""",
    "misspelt name": """\
local kilos = 3
print(kilso + 1) #@
""",
    "method": """\
local Hive = {}
Hive.__index = Hive
function Hive.new()
  return setmetatable({kilos = 'oak'}, Hive) #@
end
function Hive:gain()
  return self.kilos - 1
end
print(Hive.new():gain())
""",
    "dot for a colon": """\
local Hive = {kilos = 3}
function Hive:gain()
  return self.kilos - 1
end
print(Hive.gain()) #@
""",
    "found nothing": """\
local kilos = string.match('oak', '%d+') #@
print(kilos + 1)
""",
    "no number": """\
local kilos = tonumber('31 kg') #@
print(kilos + 1)
""",
    "set from a function": """\
local total = 0
local function start()
  total = nil #@
end
start()
print(total + 1)
""",
    "several given back": """\
local function weigh()
  return 'oak' #@
end
local name, kilos = weigh() #@
print(name, kilos + 1)
""",
    "joined text": """\
local hive = {name = 'oak'}
print('hive ' .. hive.place) #@
""",
    "called twice": """\
local function frames()
  return 3
end
local count = frames() #@
print(count())  #@
""",
}
R: dict[str, str] = {
    "assignment": """\
kilos <- 'oak' #@
print(kilos + 1)
""",
    "assigned later": """\
kilos <- 3
kilos <- 'oak' #@
print(kilos + 1)
""",
    "branch": """\
weigh <- function(old) {
  if (old) {
    kilos <- 'oak' #@
  } else {
    kilos <- 3
  }
  kilos
}
print(weigh(TRUE) + 1)
""",
    "given back": """\
weigh <- function() {
  'oak' #@
}
print(weigh() + 1)
""",
    "returned": """\
weigh <- function() {
  return('oak') #@
}
print(weigh() + 1)
""",
    "argument": """\
gain <- function(new, old) {
  new - old
}
print(gain(31, 'oak')) #@
""",
    "argument by name": """\
gain <- function(new, old) {
  new - old
}
print(gain(old = 'oak', new = 31)) #@
""",
    "argument left out": """\
gain <- function(new, old) {
  new - old
}
print(gain(31)) #@
""",
    "default": """\
gain <- function(new, old = 'oak') { #@
  new - old
}
print(gain(31))
""",
    "argument through two calls": """\
inner <- function(kilos) {
  kilos + 1
}
outer <- function(kilos) {
  more <- inner(kilos)
  more
}
print(outer('oak')) #@
""",
    "item of a list": """\
hives <- list(31, 'oak') #@
total <- 0
for (one in hives) {
  total <- total + one
}
print(total)
""",
    "field of a list": """\
hive <- list(name = 'oak', kilos = 'much') #@
print(hive$kilos + 1)
""",
    "field set later": """\
hive <- list()
hive$kilos <- 'much' #@
print(hive$kilos + 1)
""",
    "misspelt name": """\
kilos <- 3
print(kilso + 1) #@
""",
    "misspelt function": """\
weigh <- function(kilos) kilos + 1
print(wiegh(3)) #@
""",
    "past the end": """\
hives <- list(31, 28) #@
print(hives[[3]]) #@
""",
    "mixed vector": """\
kilos <- c(31, 'oak') #@
print(sum(kilos))
""",
    "a test of nothing": """\
kilos <- NULL #@
if (kilos > 3) {
  print('heavy')
}
""",
    "a test of a gap": """\
kilos <- NA #@
if (kilos > 3) {
  print('heavy')
}
""",
    "applied": """\
kilos <- list(31, 'oak') #@
print(sapply(kilos, function(one) one + 1))
""",
    "closure": """\
scale <- function(by) {
  function(kilos) kilos * by
}
weigh <- scale('oak') #@
print(weigh(3))
""",
    "set from within": """\
total <- 0
start <- function() {
  total <<- 'oak' #@
}
start()
print(total + 1)
""",
    "no function": """\
frames <- 3 #@
print(frames(2)) #@
""",
    "column that is not there": """\
hives <- data.frame(kilos = c(31, 28)) #@
print(mean(hives[, 'kilo'])) #@
""",
    "own check": """\
check <- function(kilos) {
  if (kilos < 0) stop('no hive weighs less than nothing')
  kilos
}
print(check(-3)) #@
""",
}
OCTAVE: dict[str, str] = {
    "assignment": """\
kilos = {}; #@
disp (kilos + 1)
""",
    "assigned later": """\
kilos = 3;
kilos = {}; #@
disp (kilos + 1)
""",
    "branch": """\
1;
function kilos = weigh (old)
  if (old)
    kilos = {}; #@
  else
    kilos = 3;
  end
end
disp (weigh (true) + 1)
""",
    "output not set": """\
1;
function kilos = weigh (old) #@
  if (old) #@
    kilos = 3; #@
  end
end #@
disp (weigh (false) + 1)
""",
    "given back": """\
1;
function kilos = weigh ()
  kilos = {}; #@
end
disp (weigh () + 1)
""",
    "argument": """\
1;
function more = gain (new, old)
  more = new - old;
end
disp (gain (31, {})) #@
""",
    "argument left out": """\
1;
function more = gain (new, old)
  more = new - old;
end
disp (gain (31)) #@
""",
    "argument through two calls": """\
1;
function more = inner (kilos)
  more = kilos + 1;
end
function more = outer (kilos)
  more = inner (kilos);
end
disp (outer ({})) #@
""",
    "past the end": """\
kilos = [31, 28];
for place = 1:3 #@
  disp (kilos(place)) #@
end
""",
    "counting from nothing": """\
kilos = [31, 28];
for place = 0:2 #@
  disp (kilos(place)) #@
end
""",
    "field of a struct": """\
hive.name = 'oak';
hive.kilos = {}; #@
disp (hive.kilos + 1)
""",
    "misspelt field": """\
hive.kilos = 31;
disp (hive.kilo + 1) #@
""",
    "misspelt name": """\
kilos = 3;
disp (kilso + 1) #@
""",
    "misspelt function": """\
1;
function more = weigh (kilos)
  more = kilos + 1;
end
disp (wiegh (3)) #@
""",
    "sizes": """\
low = [1, 2, 3]; #@
high = [4, 5]; #@
disp (low + high)
""",
    "sizes of a product": """\
table = ones (2, 3); #@
row = [1, 2]; #@
disp (table * row)
""",
    "rows that do not fit": """\
low = [1, 2]; #@
table = [low; 3, 4, 5]; #@
disp (table)
""",
    "a cell for a number": """\
kilos = {31, 28}; #@
disp (sum (kilos))
""",
    "item of a cell": """\
kilos = {31, {}}; #@
total = 0;
for place = 1:2
  total = total + kilos{place};
end
disp (total)
""",
    "own check": """\
1;
function check (kilos)
  if (kilos < 0)
    error ('no hive weighs less than nothing');
  end
end
check (-3) #@
""",
    "too many arguments": """\
1;
function more = weigh (kilos)
  more = kilos + 1;
end
disp (weigh (3, 4)) #@
""",
    "too many results": """\
1;
function weigh (kilos) #@
  disp (kilos)
end
more = weigh (3); #@
""",
    "anonymous": """\
double = @(kilos) kilos * {}; #@
disp (double (3))
""",
    "text for a number": """\
kilos = 'oak'; #@
table = ones (2, 2);
disp (table * kilos)
""",
    "no number in a text": """\
parts = strsplit ('oak;31', ','); #@
disp (parts{2})
""",
}
TABLES = {
    "javascript": ("node", "main.js", JAVASCRIPT),
    "lua": ("lua5.4", "main.lua", LUA),
    "r": ("Rscript", "main.R", R),
    "octave": ("octave-cli", "main.m", OCTAVE),
}


@pytest.mark.spread(2)
@pytest.mark.parametrize(("runtime", "construct"), [(runtime, name) for runtime, table in TABLES.items() for name in table[2]])
def test_roots_are_among_the_first_three(runtime: str, construct: str, tmp_path: Path) -> None:
    program, name, table = TABLES[runtime]
    marked = table[construct]
    (tmp_path / name).write_text(re.sub(" +#@", "", marked), encoding="utf-8")
    done = subprocess.run([program, name], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode, done.stdout
    (jam,) = read_and_diagnose(done.stderr, root=tmp_path)
    right = [line for line, row in enumerate(marked.split("\n"), 1) if "#@" in row]
    found = [root.line for root in jam.roots[:3]]
    assert set(found) & set(right), (right, found)


def test_the_tables_are_long() -> None:
    assert all(len(table) >= 25 for _, _, table in TABLES.values())
