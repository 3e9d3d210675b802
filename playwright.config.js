import { defineConfig } from '@playwright/test';

// A window of the browser makes two pages of its own for what drops down from the address, which nobody sees here:
// a second of processor for every test. The flag takes the place of Playwright's own, so that these are in it too.
const off = ['WebUIOmniboxPopup', 'WebUIOmniboxAimPopup', 'AvoidUnnecessaryBeforeUnloadCheckSync', 'DestroyProfileOnBrowserClose', 'HttpsUpgrades', 'LensOverlay', 'MediaRouter', 'OptimizationHints', 'PaintHolding', 'ThirdPartyStoragePartitioning'].join();

// The browser is Debian's; WebGL runs in software. Each worker has a server of its own (e2e/test.js).
export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/setup.js',
  timeout: 90_000,
  expect: { timeout: 15_000 },
  workers: process.env.SCREENSHOTS || process.env.SPEED ? 1 : 2,
  retries: process.env.CI ? 1 : 0,
  reporter: 'list',
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic', '--enable-unsafe-swiftshader', `--disable-features=${off}`],
    },
  },
});
