import { execFileSync } from 'node:child_process';
import { defineConfig } from '@playwright/test';

// A free port, the same in every process of the run.
process.env.WISEMARROW_E2E_PORT ??= execFileSync(process.execPath, ['-e', 'const s = require("net").createServer().listen(0, "127.0.0.1", () => { console.log(s.address().port); s.close(); })'], { encoding: 'utf8' }).trim();
const address = `http://127.0.0.1:${process.env.WISEMARROW_E2E_PORT}`;

// A window of the browser makes two pages of its own for what drops down from the address, which nobody sees here:
// a second of processor for every test. The flag takes the place of Playwright's own, so that these are in it too.
const off = ['WebUIOmniboxPopup', 'WebUIOmniboxAimPopup', 'AvoidUnnecessaryBeforeUnloadCheckSync', 'DestroyProfileOnBrowserClose', 'HttpsUpgrades', 'LensOverlay', 'MediaRouter', 'OptimizationHints', 'PaintHolding', 'ThirdPartyStoragePartitioning'].join();

// The browser is Debian's; WebGL runs in software. One server for all tests, on
// a database of its own that is made anew (e2e/server.sh).
export default defineConfig({
  testDir: 'e2e',
  timeout: 90_000,
  expect: { timeout: 15_000 },
  workers: 1,
  retries: process.env.CI ? 1 : 0,
  reporter: 'list',
  use: {
    baseURL: address,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic', '--enable-unsafe-swiftshader', `--disable-features=${off}`],
    },
  },
  webServer: { command: 'e2e/server.sh', url: `${address}/healthz`, timeout: 120_000, reuseExistingServer: false, gracefulShutdown: { signal: 'SIGTERM', timeout: 5000 } },
});
