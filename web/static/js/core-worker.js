// The worker in which core runs (core.js). It loads the program once and then does
// what it is asked, in order.
import { load } from './core.js';

const ready = load();
ready.catch((e) => globalThis.postMessage({ failed: e.message }));

globalThis.onmessage = async ({ data: { id, name, fields } }) => {
  const functions = await ready;
  globalThis.postMessage({ id, ...functions[name](fields) });
};
