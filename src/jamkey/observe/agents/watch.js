// Watches what a program works with: calls of ours stand in its text where something can go wrong without a word.
//
// Loaded by Node before the program; the environment names the file to write and how long to look (seconds). Each line
// of it: number of the place, what was odd, how often, an example. What is asked gives what the text gave before.
'use strict';

const fs = require('fs');

const out = process.env.JAMKEY_WATCH;
const until = Date.now() + 1000 * Number(process.env.JAMKEY_WATCH_SECONDS || 20);
delete process.env.JAMKEY_WATCH;
const MOST = 20000; // looks at one place
const NUMBER = /^\s*[+-]?\d+(\.\d+)?(e[+-]?\d+)?\s*$/i;
const seen = new Map(); // place -> code -> [count, example]
const looks = new Map();
const steps = new Map(); // place -> how the indices went
const kept = new Map(); // place -> what was kept before the call, innermost last

function looking(site) {
  const count = (looks.get(site) || 0) + 1;
  looks.set(site, count);
  return count <= MOST && (count % 256 || Date.now() < until);
}

function odd(site, code, example) {
  const codes = seen.get(site) || seen.set(site, new Map()).get(site);
  const known = codes.get(code);
  if (known) known[0] += 1;
  else codes.set(code, [1, example()]);
}

function cut(text, most = 60) {
  return text.length > most ? text.slice(0, most - 3) + '...' : text;
}

function told(value) {
  if (typeof value === 'string') return cut(JSON.stringify(value));
  if (typeof value === 'function') return 'a function';
  if (value === null || typeof value !== 'object') return String(value);
  if (Array.isArray(value)) return cut('[' + value.slice(0, 8).map(told).join(', ') + (value.length > 8 ? ', ...' : '') + ']');
  return value.constructor && value.constructor.name !== 'Object' ? 'a ' + value.constructor.name : 'an object';
}

const numeric = (value) => typeof value === 'string' && NUMBER.test(value);
const isNaNumber = (value) => typeof value === 'number' && Number.isNaN(value);

const OPERATORS = {
  '+': (a, b) => a + b, '-': (a, b) => a - b, '*': (a, b) => a * b, '/': (a, b) => a / b, '%': (a, b) => a % b, '**': (a, b) => a ** b,
  '<': (a, b) => a < b, '>': (a, b) => a > b, '<=': (a, b) => a <= b, '>=': (a, b) => a >= b,
  '==': (a, b) => a == b, '!=': (a, b) => a != b, '===': (a, b) => a === b, '!==': (a, b) => a !== b, // eslint-disable-line eqeqeq
};

function op(site, sign, a, b) {
  const made = OPERATORS[sign](a, b);
  if (!looking(site)) return made;
  const example = () => `${told(a)} ${sign} ${told(b)} is ${told(made)}`;
  if (sign === '+') {
    if ((numeric(a) && (numeric(b) || typeof b === 'number')) || (numeric(b) && typeof a === 'number')) odd(site, 'joined', example);
  } else if ('<>'.includes(sign[0])) {
    if (numeric(a) && numeric(b)) odd(site, (a < b) === (Number(a) < Number(b)) ? 'text-compared' : 'text-order', example);
  } else if (sign.includes('=')) {
    if (typeof a !== typeof b && sign.length === 3 && a != null && b != null && typeof a !== 'object' && typeof b !== 'object' && String(a) === String(b)) odd(site, 'never-equal', example);
    else if (a !== b && typeof a === 'number' && typeof b === 'number' && Math.abs(a - b) < 1e-9 * Math.max(Math.abs(a), Math.abs(b))) odd(site, 'nearly-equal', example);
    else if (a !== b && Array.isArray(a) && Array.isArray(b)) odd(site, 'never-equal', example);
    else if (isNaNumber(a) || isNaNumber(b)) odd(site, 'never-equal', example);
    else if ((a === b) === (sign[0] === '=')) odd(site, 'equal', () => '');
  }
  if (typeof made === 'number' && !isNaNumber(a) && !isNaNumber(b)) {
    if (isNaNumber(made)) odd(site, a === undefined || b === undefined ? 'nothing-used' : 'gaps-spread', example);
    else if (sign === '/' && !Number.isFinite(made) && Number.isFinite(a)) odd(site, 'gaps-spread', example);
  }
  return made;
}

function get(site, object, key) {
  const made = object[key];
  if (object === null || (typeof object !== 'object' && typeof object !== 'string') || !looking(site)) return made;
  if (Array.isArray(object) || typeof object === 'string') {
    if (typeof key === 'number' || (typeof key === 'string' && /^-?\d+$/.test(key))) step(site, object, Number(key), made);
    else if (made === undefined && typeof key === 'string') {
      odd(site, 'not-there', () => [key, ...Object.getOwnPropertyNames(Object.getPrototypeOf(object))].join('\x1f'));
    }
    return made;
  }
  if (made === undefined && typeof key === 'string' && !(key in object)) {
    const keys = Object.keys(object).slice(0, 400);
    if (keys.length) odd(site, 'not-there', () => [key, ...keys].join('\x1f'));
  }
  return made;
}

function step(site, object, index, made) {
  if (index === 0) odd(site, 'at-first', () => '');
  if (index === object.length - 1) odd(site, 'at-last', () => '');
  if (index < 0 && made === undefined) odd(site, 'nothing-used', () => `place ${index} of ${object.length} is undefined`);
  let went = steps.get(site);
  if (!went) steps.set(site, (went = { first: index, last: index, length: object.length, rounds: [] }));
  else if (index === went.last + 1 && object.length === went.length) went.last = index;
  else {
    ended(went);
    Object.assign(went, { first: index, last: index, length: object.length });
  }
}

function ended(went) {
  if (went.last > went.first && went.rounds.length < 1000) went.rounds.push([went.first, went.last, went.length]);
}

function ends() {
  for (const [site, went] of steps) {
    ended(went);
    if (!went.rounds.length) continue;
    const [[first, last, length]] = went.rounds;
    const all = (from, to) => went.rounds.every((round) => round[0] === from && round[1] === round[2] + to);
    if (all(0, -2)) odd(site, 'last-left-out', () => `places 0 to ${last} of ${length} are used, the last is not`);
    else if (all(1, -1)) odd(site, 'first-left-out', () => `places 1 to ${last} of ${length} are used, the first is not`);
    else if (all(first, 0)) odd(site, 'past-end', () => `places ${first} to ${last} are used, and there are ${length}`);
  }
}

function keep(site, value) {
  const stack = kept.get(site) || kept.set(site, []).get(site);
  if (stack.length < 1000) stack.push([value, Array.isArray(value) ? value.slice(0, 2000) : value]);
  return value;
}

function taken(site) {
  const stack = kept.get(site);
  return (stack && stack.pop()) || [];
}

const sameItems = (one, other) => one.length === other.length && one.every((item, place) => Object.is(item, other[place]));

function dropped(site, before, made) {
  const [value, was] = taken(before);
  if (!looking(site) || value === undefined || made === undefined || made === null || typeof made !== typeof value) return made;
  if (Array.isArray(value)) {
    // what changes the array itself, as `sort` and `splice` do, has done its work
    if (Array.isArray(made) && made !== value && sameItems(was, value.slice(0, 2000)) && !sameItems(was, made)) odd(site, 'dropped', () => `${told(value)} stays, and ${told(made)} is thrown away`);
  } else if (typeof value !== 'object' && value !== made) odd(site, 'dropped', () => `${told(value)} stays, and ${told(made)} is thrown away`);
  return made;
}

function got(site, before, made) {
  const [value] = taken(before);
  if (!looking(site) || typeof value !== 'string') return made;
  if (isNaNumber(made)) odd(site, 'gaps-made', () => `${told(value)} gives NaN`);
  else if (typeof made === 'number' && numeric(value) && !Number.isInteger(Number(value)) && Number.isInteger(made)) odd(site, 'fraction-lost', () => `${told(value)} gives ${made}`);
  return made;
}

function order(site, value) {
  if (Array.isArray(value) && looking(site)) {
    const items = value.slice(0, 2000);
    if (items.length > 1 && (items.every((item) => typeof item === 'number') || items.every(numeric))) {
      const asText = items.slice().sort();
      const asNumbers = items.slice().sort((a, b) => a - b);
      if (asText.some((item, place) => Number(item) !== Number(asNumbers[place]))) odd(site, 'text-order', () => `${told(asText)}`);
    }
  }
  return value;
}

function over(site, value) {
  if (looking(site) && (Array.isArray(value) || value instanceof Map || value instanceof Set)) {
    if ((Array.isArray(value) ? value.length : value.size) === 0) odd(site, 'nothing-left', () => `an empty ${value.constructor.name}`);
    else odd(site, 'went', () => '');
  }
  return value;
}

function cond(site, value) {
  if (looking(site)) {
    if (typeof value === 'function') odd(site, 'not-called', () => told(value));
    else if (Array.isArray(value) && value.length === 0) odd(site, 'holds-always', () => 'an empty array counts as true');
    else if (value === '0' || value === 'false') odd(site, 'holds-always', () => `the text ${told(value)} counts as true`);
    else if (typeof value === 'object' && value instanceof Promise) odd(site, 'holds-always', () => 'a promise that was not waited for counts as true');
  }
  return value;
}

function given(site, value) {
  if (looking(site)) odd(site, value === undefined ? 'gives-nothing' : 'gives', () => 'undefined');
  return value;
}

// what holds our functions is no name of the program's own
globalThis.__jamkey = { op, get, keep, dropped, got, order, over, cond, given };

process.on('exit', () => {
  ends();
  const rows = [];
  for (const [site, codes] of seen) {
    for (const [code, [count, example]] of codes) rows.push([site, code, count, example.replace(/[\t\r\n]+/g, ' ')].join('\t'));
  }
  fs.writeFileSync(out, rows.join('\n'));
});
