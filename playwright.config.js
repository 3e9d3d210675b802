import { defineConfig } from '@playwright/test';

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
    baseURL: 'http://127.0.0.1:8499',
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic', '--enable-unsafe-swiftshader'],
    },
  },
  webServer: { command: 'e2e/server.sh', url: 'http://127.0.0.1:8499/healthz', timeout: 120_000, reuseExistingServer: false, gracefulShutdown: { signal: 'SIGTERM', timeout: 5000 } },
});
