// Talking to the server: JSON in and out, and errors that say what to do.

export class Refusal extends Error {
  constructor(status, body) {
    super(body?.error ?? 'The server gave no answer. Nothing was changed; try again.');
    this.status = status;
    this.head = body?.head;
    this.unknown = Boolean(body?.unknown) || status === 502 || status === 504; // whether it was done
  }
}

async function answerOf(request) {
  let response;
  try {
    response = await request;
  } catch {
    throw new Refusal(0, { error: 'The server cannot be reached. Try again when it is back.', unknown: true });
  }
  if (response.ok) return response;
  let body = null;
  try {
    body = await response.json();
  } catch { /* not ours: the default text says enough */ }
  throw new Refusal(response.status, body);
}

export const getJSON = async (url, signal) => (await answerOf(fetch(url, { signal }))).json();
export const getAnswer = (url) => answerOf(fetch(url));
export const getText = async (url) => (await getAnswer(url)).text();
export const getBuffer = async (url) => (await answerOf(fetch(url))).arrayBuffer();

export async function post(url, body) {
  return (await answerOf(fetch(url, {
    method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body ?? {}),
  }))).json();
}

// Each change has a key, so that it is done once however often it is asked for.
const newKey = () => Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, '0')).join('');

const askedFor = 15_000; // milliseconds that it is asked for again

// again calls ask until it is known what came of it; waiting is told of each turn.
async function again(ask, waiting) {
  for (let turn = 0, begun = performance.now(); ; turn++) {
    try {
      return await ask(turn);
    } catch (e) {
      if (!e.unknown) throw e;
      if (performance.now() - begun > askedFor) {
        throw new Refusal(e.status, { error: 'The server cannot be reached, and whether it made this change is not known. The page shows it when the server is back.' });
      }
      waiting();
      await new Promise((f) => { setTimeout(f, 300 + 400 * Math.min(turn, 4)); });
    }
  }
}

// change posts a change. Where no answer comes it is asked for again, and done once.
export function change(url, body, waiting) {
  const key = newKey();
  return again((turn) => post(url, { ...body, key, again: turn > 0 }), waiting);
}

// bring sends a form with files that become a character; a lost answer is asked for.
export async function bring(url, form, progress, waiting) {
  const key = newKey();
  try {
    return await upload(`${url}?key=${key}`, form, progress);
  } catch (e) {
    if (!e.unknown) throw e;
    try {
      return await again(() => getJSON(`/api/asked/${key}`), waiting);
    } catch (later) {
      if (later.status === 404) throw new Refusal(0, { error: 'The upload was cut off. Nothing was changed; try again.' });
      throw later;
    }
  }
}

// upload sends a form with files and tells how much of it is sent.
export function upload(url, form, progress) {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest();
    x.open('POST', url);
    x.responseType = 'json';
    x.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / e.total : 0);
    x.onload = () => (x.status < 300 ? resolve(x.response) : reject(new Refusal(x.status, x.response)));
    x.onerror = () => reject(new Refusal(0, { error: 'The upload was cut off. Nothing was changed; try again.', unknown: true }));
    x.send(form);
  });
}
