// Core in the browser: the same Go as the server's, as WebAssembly. In a worker it does what takes a while;
// where no graphics card bends the skin it runs on the page's own thread too, for what a frame waits for.
// Where it does not start, the reason is told and who asks turns to the server.

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

// core calls a function of core in the worker, with named fields, as browser/wasm has them.
export function core(name, fields = {}) {
  start();
  if (failed) return Promise.reject(new Error(failed));
  const id = ++number;
  return new Promise((resolve, reject) => {
    waiting.set(id, { resolve, reject });
    worker.postMessage({ id, name, fields });
  });
}

// load has core run on the thread that calls it, and returns its functions.
export async function load() {
  await import(new URL('../wasm/wasm_exec.js', import.meta.url).href);
  const go = new globalThis.Go();
  const { instance } = await WebAssembly.instantiateStreaming(fetch(new URL('../wasm/core.wasm', import.meta.url)), go.importObject);
  go.run(instance); // goes on until the page or the worker ends
  return globalThis.marrowCore;
}

let here = null, starting = null;

// bringHere has core run on the page's thread; it is done once.
export function bringHere() {
  starting ??= load().then((functions) => { here = functions; });
  return starting;
}

export const isHere = () => Boolean(here);

// callHere calls a function of core on this thread.
export function callHere(name, fields) {
  const { value, error } = here[name](fields);
  if (error) throw new Error(error);
  return value;
}
