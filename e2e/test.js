// What all browser tests begin with: a server of the worker's own over a copy of the demo's database, and pages
// of one browser context, so that scripts and WebAssembly are compiled once and not for every test.
import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { createServer } from 'node:net';
import { test as base } from '@playwright/test';

export { expect } from '@playwright/test';

export async function freePort() {
  const s = createServer().listen(0, '127.0.0.1');
  await once(s, 'listening');
  const { port } = s.address();
  s.close();
  return port;
}

// serve starts a server on a database and waits until it answers.
export async function serve(database, ...args) {
  const port = await freePort(), at = `http://127.0.0.1:${port}`;
  const server = spawn('bin/wisemarrow-server', ['serve', '--addr', `127.0.0.1:${port}`, ...args], { env: { ...process.env, WISEMARROW_DATABASE: database }, stdio: ['ignore', 'ignore', 'inherit'] });
  for (let i = 0; i < 300; i++) {
    if (await fetch(`${at}/readyz`).then((r) => r.ok, () => false)) return { at, database, stop: () => server.kill('SIGTERM') };
    if (server.exitCode !== null) break;
    await new Promise((f) => { setTimeout(f, 100); });
  }
  server.kill('SIGKILL');
  throw new Error(`the server did not start on ${at}`);
}

// What a newcomer is shown over the plate is hidden, but where it is tested.
const used = () => { try { localStorage.setItem('steps', localStorage.getItem('steps') ?? 'hidden'); } catch { /* a page without storage */ } };

// Smoothed edges cost a renderer in software a third of its time and change nothing that is tested.
const plain = () => {
  const get = HTMLCanvasElement.prototype.getContext;
  HTMLCanvasElement.prototype.getContext = function context(kind, options) { return get.call(this, kind, kind.startsWith('webgl') ? { ...options, antialias: false } : options); };
};

export const test = base.extend({
  server: [async ({}, use, worker) => { // eslint-disable-line no-empty-pattern -- as Playwright wants it
    const database = execFileSync('e2e/database.sh', [`wisemarrow_e2e_${worker.workerIndex}`], { encoding: 'utf8' }).trim();
    const server = await serve(database);
    await use(server);
    server.stop();
  }, { scope: 'worker', timeout: 120_000 }],

  baseURL: async ({ server }, use) => use(server.at),

  ownContext: [async ({ browser, server }, use) => {
    const context = await browser.newContext({ baseURL: server.at, viewport: { width: 1280, height: 800 } });
    await context.addInitScript(used);
    if (!process.env.SCREENSHOTS) await context.addInitScript(plain);
    await use(context);
    await context.close();
  }, { scope: 'worker' }],

  context: async ({ ownContext }, use) => {
    await use(ownContext);
    for (const page of ownContext.pages()) await page.close();
  },

  // A page of a browser that has stored nothing yet.
  page: async ({ context, server }, use) => {
    const page = await context.newPage(), devtools = await context.newCDPSession(page);
    await context.clearCookies();
    await devtools.send('Storage.clearDataForOrigin', { origin: server.at, storageTypes: 'local_storage' });
    await devtools.detach();
    await use(page);
  },
});
