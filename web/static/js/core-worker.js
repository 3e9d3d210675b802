// The worker in which core runs (core.js). It loads the program once and then does
// what it is asked, in order.

const ready = (async () => {
  await import(new URL('../wasm/wasm_exec.js', import.meta.url));
  const go = new self.Go();
  const { instance } = await WebAssembly.instantiateStreaming(fetch(new URL('../wasm/core.wasm', import.meta.url)), go.importObject);
  go.run(instance); // goes on until the worker ends
})();
ready.catch((e) => self.postMessage({ failed: e.message }));

self.onmessage = async ({ data: { id, name, args } }) => {
  await ready;
  self.postMessage({ id, ...self.marrowCore[name](...args) });
};
