// News of a character from the server. All tabs of a browser share one stream, which a
// shared worker keeps: a browser has six connections to a server, and each stream
// takes one for as long as it is open.
const streamOf = (id) => `/api/events?${new URLSearchParams({ character: id })}`;

// listen calls f with each news of a character for as long as the page is there.
export function listen(id, f) {
  if (!('SharedWorker' in globalThis)) { alone(id, f); return; }
  const worker = new SharedWorker(new URL('./news-worker.js', import.meta.url), { name: 'news' });
  worker.port.onmessage = ({ data }) => f(data);
  worker.onerror = () => alone(id, f);
  // A tab that is gone without a word gives its lock back; where there are no locks,
  // its word has to do.
  const lock = `news-${crypto.getRandomValues(new Uint32Array(4)).join('-')}`;
  const join = () => worker.port.postMessage({ id, lock: held ? lock : '' });
  let held = false;
  if (navigator.locks) {
    navigator.locks.request(lock, () => { held = true; join(); return new Promise(() => {}); });
  } else {
    join();
  }
  addEventListener('pagehide', () => worker.port.postMessage({ leave: true }));
  addEventListener('pageshow', (e) => { if (e.persisted) join(); });
}

function alone(id, f) {
  const source = new EventSource(streamOf(id));
  source.onmessage = (e) => f(JSON.parse(e.data));
  addEventListener('pagehide', () => source.close());
}
