// Core in the browser: the same Go as the server's, as WebAssembly in a worker. Where
// it does not start, the reason is told and who asks turns to the server.

let worker = null, number = 0, failed = '';
const waiting = new Map();

function start() {
  if (worker || failed) return;
  try {
    worker = new Worker(new URL('./core-worker.js', import.meta.url), { type: 'module' });
  } catch (e) { fail(e.message); return; }
  worker.onmessage = ({ data }) => {
    if (data.failed) { fail(data.failed); return; }
    const w = waiting.get(data.id);
    waiting.delete(data.id);
    if (data.error) w?.reject(new Error(data.error)); else w?.resolve(data.value);
  };
  worker.onerror = (e) => fail(e.message || 'its worker could not be loaded');
}

function fail(why) {
  failed = why;
  worker?.terminate();
  worker = null;
  for (const w of waiting.values()) w.reject(new Error(why));
  waiting.clear();
}

// why says why core does not run here, '' if it does.
export const why = () => failed;

// core calls a function of core, as browser/wasm names them.
export function core(name, ...args) {
  start();
  if (failed) return Promise.reject(new Error(failed));
  const id = ++number;
  return new Promise((resolve, reject) => {
    waiting.set(id, { resolve, reject });
    worker.postMessage({ id, name, args });
  });
}
