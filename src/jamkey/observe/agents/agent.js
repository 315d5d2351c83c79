// Runs inside the user's Node process, before the script. Through the inspector (an open protocol of the runtime) it
// looks at the frames of an exception that nobody will catch, and writes them when the process ends because of it. In a
// second run of a script that did not end (JAMKEY_HANG: seconds) a thread beside it halts it after that time and looks there.
'use strict';
(() => {
  const threads = require('worker_threads');
  const beside = !threads.isMainThread && threads.workerData && threads.workerData.jamkey;
  const wire = beside ? beside.wire : process.env.JAMKEY_WIRE;
  const hang = Number(process.env.JAMKEY_HANG) * 1000;
  const before = process.env.JAMKEY_NODE_OPTIONS;
  for (const name of Object.keys(process.env)) if (name.startsWith('JAMKEY_')) delete process.env[name];
  if (before === undefined) delete process.env.NODE_OPTIONS;
  else process.env.NODE_OPTIONS = before;
  if (!wire || !(threads.isMainThread || beside)) return;
  // what is typed (-e, -p, standard input) is run by `vm`, which loses an exception at which a debugger pauses, and ends well
  if (process._eval !== undefined || !process.argv[1] || process.argv[1] === '-') return;
  if (hang && threads.isMainThread) {
    // without what is loaded before the script, which is this file
    new threads.Worker(__filename, { workerData: { jamkey: { wire, hang } }, execArgv: [] }).unref();
    return;
  }
  let session;
  try {
    const inspector = require('inspector');
    if (inspector.url()) return; // the user's own debugger is attached
    session = new inspector.Session();
    if (!beside) session.connect();
  } catch {
    return;
  }
  const FRAMES = 30, NAMES = 60, TEXT = 200;
  const WRAPPER = new Set(['exports', 'require', 'module', '__filename', '__dirname', 'this']);
  const SECRET = /pass(word|wd|phrase)|secret|token|api_?key|credential|private_?key/i;
  let record = null;

  const short = (text) => (text.length > TEXT ? text.slice(0, TEXT) + '…' : text);
  const post = (method, params) => {
    let result = {};
    session.post(method, params, (error, found) => { if (!error) result = found; });
    return result;
  };
  const plain = (object) => {
    if (object.subtype === 'null') return ['null', 'null'];
    if (object.type === 'string') return ['string', JSON.stringify(short(object.value))];
    if (object.type === 'object' || object.type === 'function') {
      const type = object.className || object.type;
      const parts = (object.preview && object.preview.properties || []).map((p) =>
        (object.subtype === 'array' ? '' : p.name + ': ') + (p.type === 'string' ? JSON.stringify(p.value) : p.value || p.type));
      const more = object.preview && object.preview.overflow ? ', …' : '';
      const text = object.type === 'function' ? 'function' : object.subtype === 'array' ? `[${parts.join(', ')}${more}]`
        : object.preview ? `{${parts.join(', ')}${more}}` : object.description || type;
      return [type, short(text)];
    }
    return [object.type, 'value' in object ? String(object.value) : object.unserializableValue || object.type];
  };
  const described = (name, object) => {
    const [type, text] = plain(object);
    const value = { name, type, text: SECRET.test(name) ? '(hidden)' : text };
    const length = /\((\d+)\)$/.exec(object.description || '');
    if (object.type === 'string') value.length = object.value.length;
    else if (length) value.length = Number(length[1]);
    if (object.type === 'object' && object.preview && object.subtype !== 'array') value.members = object.preview.properties.map((p) => p.name);
    return value;
  };
  const fileOf = (url) => {
    try {
      return url.startsWith('file:') ? require('url').fileURLToPath(url) : url;
    } catch {
      return url;
    }
  };
  const urls = new Map();
  const urlOf = (frame) => fileOf(urls.get(frame.location.scriptId) || frame.url);
  const scopesOf = (frame) => {
    const end = frame.scopeChain.findIndex((scope) => scope.type === 'global');
    return (end < 0 ? frame.scopeChain : frame.scopeChain.slice(0, end)).map((scope) => (
      { objectId: scope.object.objectId, ownProperties: true, generatePreview: true }));
  };
  const frameOf = (frame, scopes) => {
    const values = [];
    const seen = new Set(WRAPPER);
    for (const { result } of scopes) {
      for (const { name, value } of result || []) {
        if (!value || seen.has(name) || values.length >= NAMES) continue;
        seen.add(name);
        if (value.type !== 'function') values.push(described(name, value));
      }
    }
    return { file: urlOf(frame), line: frame.location.lineNumber + 1, column: frame.location.columnNumber + 1, function: frame.functionName, values };
  };
  const ownOf = (frames) => frames.filter((frame) => !urlOf(frame).startsWith('node:')).slice(0, FRAMES);
  const recordOf = (exception, more) => ({ generation: 1, pid: process.pid, version: process.versions.node, implementation: 'javascript', exception, ...more });
  session.on('Debugger.scriptParsed', ({ params }) => urls.set(params.scriptId, params.url));
  if (beside) {
    const ask = (method, params) => new Promise((resolve) => session.post(method, params, (error, found) => resolve(error ? {} : found)));
    session.on('Debugger.paused', async ({ params }) => {
      if (!ownOf(params.callFrames).length) { // it waits: on to where it is called
        session.post('Debugger.stepInto');
        return;
      }
      const busy = process.cpuUsage();
      const frames = await Promise.all(ownOf(params.callFrames).map(async (frame) => (
        frameOf(frame, await Promise.all(scopesOf(frame).map((scope) => ask('Runtime.getProperties', scope)))))));
      const more = { hang: true, busy: (busy.user + busy.system) / 1e6 / process.uptime() };
      require('fs').appendFileSync(wire, JSON.stringify(recordOf({ type: '', message: '', frames: frames.reverse() }, more)) + '\n');
      process.kill(process.pid, 'SIGKILL');
    });
    setInterval(() => {}, 1000); // a session alone keeps no thread
    setTimeout(async () => {
      session.connectToMainThread();
      await ask('Debugger.enable');
      await ask('Debugger.setBlackboxPatterns', { patterns: ['^node:'] });
      await ask('Debugger.pause');
    }, beside.hang);
    return;
  }
  session.on('Debugger.paused', ({ params }) => {
    try {
      if (params.reason === 'exception' || params.reason === 'promiseRejection') {
        const thrown = params.data || {};
        const first = String(thrown.description || thrown.value || '').split('\n    at ')[0];
        const match = /^([\w$.]+): ([^]*)$/.exec(first);
        record = recordOf({ type: match ? match[1] : thrown.className || thrown.type || 'Error', message: match ? match[2] : first,
          frames: ownOf(params.callFrames).map((frame) => frameOf(frame, scopesOf(frame).map((scope) => post('Runtime.getProperties', scope)))).reverse() });
      }
    } catch {
      record = null;
    }
  });
  post('Debugger.enable');
  post('Debugger.setPauseOnExceptions', { state: 'uncaught' });
  // the same for what the program itself runs by `vm`: no pause until it is back
  try {
    const vm = require('vm');
    let depth = 0;
    const off = () => { if (depth++ === 0) post('Debugger.setPauseOnExceptions', { state: 'none' }); };
    const on = () => { if (--depth === 0) post('Debugger.setPauseOnExceptions', { state: 'uncaught' }); };
    const made = new vm.Script('(run, off, on) => function (...given) { off(); try { return run.apply(this, given); } finally { on(); } }', { filename: 'node:vm' }).runInThisContext();
    for (const name of ['runInThisContext', 'runInContext', 'runInNewContext']) {
      const run = vm.Script.prototype[name];
      const quiet = made(run, off, on);
      Object.defineProperty(quiet, 'name', { value: run.name });
      Object.defineProperty(quiet, 'length', { value: run.length });
      vm.Script.prototype[name] = quiet;
    }
  } catch { /* what runs by `vm` is left as it is */ }
  process.on('exit', (code) => {
    try {
      if (code !== 0 && record) require('fs').appendFileSync(wire, JSON.stringify(record) + '\n');
    } catch { /* the printed text still tells */ }
  });
})();
