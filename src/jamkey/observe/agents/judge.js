// Says of many edits at once what they would do: expressions are evaluated where they stand, when the program has ended.
//
// Loaded by Node before the program; the environment names a file that says what is asked:
// {"out", "told", "asked": [{"site", "text", "forms"}]}. In the sources `NAME(site, c => eval(c))` stands before an
// expression: the last such function of a site evaluates in the very scope. One JSON file is written, a list for each
// asked, a word for each form (null: not known): passes same other, where the expression as it stands fails;
// else [fails or same or other, type of the value, how many of the told words are in it]. Where the expression as it
// stands does not do again what it did, what was said since is forgotten: forms may change what they find.
'use strict';

const fs = require('fs');
const util = require('util');

const wanted = JSON.parse(fs.readFileSync(process.env.JAMKEY_JUDGE, 'utf8'));
const TOGETHER = 32; // forms between two looks at the expression as it stands
const PIECES = 400;
const scopes = new Map();
let done = false;

globalThis[wanted.name] = (site, evaluate) => {
  if (!done) scopes.set(site, evaluate); // what is asked calls the program's own functions
};

function run(evaluate, text) {
  try {
    return { value: evaluate('(' + text + '\n)') };
  } catch (error) {
    return { failure: String(error && error.name) + ': ' + String(error && error.message), name: String(error && error.name) };
  }
}

function typeOf(value) {
  if (value === null) return 'null';
  if (typeof value !== 'object') return typeof value === 'number' && Number.isNaN(value) ? 'NaN' : typeof value;
  const name = value.constructor && value.constructor.name ? value.constructor.name : 'object';
  return Array.isArray(value) && value.length ? name + ' of ' + typeOf(value[0]) : name;
}

function pieces(value) {
  if (typeof value === 'string') return [value];
  if (value === null || typeof value !== 'object') return [];
  const keys = Object.keys(value).slice(0, PIECES);
  const texts = keys.map((key) => value[key]).filter((item) => typeof item === 'string');
  const inner = Array.isArray(value) && value[0] && typeof value[0] === 'object' ? Object.keys(value[0]) : [];
  return Array.isArray(value) ? [...texts, ...inner] : [...keys, ...texts];
}

function alike(one, other) {
  if (one.failure || other.failure) return one.failure === other.failure;
  return typeof one.value === 'function' ? typeof other.value === 'function' : util.isDeepStrictEqual(one.value, other.value);
}

function word(before, given) {
  if (before.failure) return given.failure ? (given.failure === before.failure ? 'same' : 'other') : 'passes';
  if (given.name === 'SyntaxError') return null; // `await` may stand there, and not in what is asked
  if (given.failure) return ['fails', given.name, 0];
  const told = new Set(pieces(given.value).filter((piece) => wanted.told.includes(piece))).size;
  return [alike(before, given) ? 'same' : 'other', typeOf(given.value), told];
}

function judged(asked, until) {
  const evaluate = scopes.get(asked.site);
  const said = asked.forms.map(() => null);
  if (!evaluate) return said;
  let before = run(evaluate, asked.text);
  for (let start = 0; start < said.length && Date.now() < until; start += TOGETHER) {
    const end = Math.min(start + TOGETHER, said.length);
    for (let place = start; place < end; place += 1) said[place] = word(before, run(evaluate, asked.forms[place]));
    if (!alike(before, run(evaluate, asked.text))) {
      said.fill(null, start, end);
      break;
    }
  }
  return said;
}

function answer() {
  if (done) return;
  done = true;
  const until = Date.now() + wanted.seconds * 1000;
  process.exit = () => {
    throw new Error('it would end');
  };
  const found = [];
  for (const asked of wanted.asked) {
    const share = (3 * (until - Date.now())) / (wanted.asked.length - found.length);
    found.push(judged(asked, Math.min(until, Date.now() + share)));
    fs.writeFileSync(wanted.out, JSON.stringify([...found, ...wanted.asked.slice(found.length).map(() => [])]));
  }
  process.reallyExit(1);
}

process.on('uncaughtException', answer);
process.on('exit', answer);
