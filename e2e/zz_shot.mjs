import { chromium } from '@playwright/test';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic'] });
const page = await b.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', (e) => console.log('ERR', e.message));
const [,, name, stage, out, ...steps] = process.argv;
const html = await (await page.request.get('http://127.0.0.1:8470/')).text();
const id = [...html.matchAll(/<h2><a href="\/characters\/([^"]+)"[^>]*>([^<]*)<\/a>/g)].find((m) => m[2] === name)[1];
await page.goto(`http://127.0.0.1:8470/characters/${id}/${stage}`);
await page.locator('body[data-ready]').waitFor({ timeout: 60000 });
for (const s of steps) { const f = new Function('page', `return (async () => { ${s} })()`); await f(page); }
await page.waitForTimeout(1500);
await page.screenshot({ path: `/tmp/shots/${out}.png` });
await b.close();
