// The shared worker of news.js: one stream for the characters of all tabs.
const MOST = 40; // that the server tells of in one stream
const tabs = new Map(); // port → the character that it shows
const latest = new Map(); // character → its news
let source = null, asked = '', again;

function follow() {
  const all = [...new Set(tabs.values())].sort(), ids = all.slice(0, MOST);
  for (const [port, id] of tabs) if (all.indexOf(id) >= MOST) port.postMessage({ trouble: `More than ${MOST} characters are open: changes made elsewhere do not show here until you reload` });
  if (ids.join() === asked && source) return;
  asked = ids.join();
  clearTimeout(again);
  source?.close();
  source = null;
  for (const id of latest.keys()) if (!ids.includes(id)) latest.delete(id);
  if (!ids.length) return;
  source = new EventSource(`/api/events?${new URLSearchParams(ids.map((id) => ['character', id]))}`);
  source.onmessage = (e) => {
    const news = JSON.parse(e.data);
    latest.set(news.character, news);
    for (const [port, id] of tabs) if (id === news.character) port.postMessage(news);
  };
  source.onerror = () => { // it comes back by itself, unless it was refused
    if (source?.readyState !== EventSource.CLOSED) return;
    source = null;
    again = setTimeout(follow, 3000);
  };
}

function leave(port) {
  if (tabs.delete(port)) follow();
}

globalThis.onconnect = ({ ports: [port] }) => {
  port.onmessage = ({ data }) => {
    if (data.leave) { leave(port); return; }
    tabs.set(port, data.id);
    if (latest.has(data.id)) port.postMessage(latest.get(data.id));
    follow();
    if (data.lock) navigator.locks?.request(data.lock, () => leave(port));
  };
};
