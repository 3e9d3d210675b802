// Talking to the server: JSON in and out, and errors that say what to do.

export class Refusal extends Error {
  constructor(status, body) {
    super(body?.error ?? 'The server gave no answer. Nothing was changed; try again.');
    this.status = status;
    this.head = body?.head;
  }
}

async function answerOf(request) {
  let response;
  try {
    response = await request;
  } catch {
    throw new Refusal(0, { error: 'The server cannot be reached. Nothing was changed; try again when it is back.' });
  }
  if (response.ok) return response;
  let body = null;
  try {
    body = await response.json();
  } catch { /* not ours: the default text says enough */ }
  throw new Refusal(response.status, body);
}

export const getJSON = async (url) => (await answerOf(fetch(url))).json();
export const getText = async (url) => (await answerOf(fetch(url))).text();
export const getBuffer = async (url) => (await answerOf(fetch(url))).arrayBuffer();

export async function post(url, body) {
  return (await answerOf(fetch(url, {
    method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body ?? {}),
  }))).json();
}

// upload sends a form with files and tells how much of it is sent.
export function upload(url, form, progress) {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest();
    x.open('POST', url);
    x.responseType = 'json';
    x.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / e.total : 0);
    x.onload = () => (x.status < 300 ? resolve(x.response) : reject(new Refusal(x.status, x.response)));
    x.onerror = () => reject(new Refusal(0, { error: 'The upload was cut off. Nothing was changed; try again.' }));
    x.send(form);
  });
}
