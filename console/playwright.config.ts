import { defineConfig } from '@playwright/test';

const port = 9377;

// The real service with the ferry line in it, and Debian's browser.
export default defineConfig({
  testDir: 'tests',
  testMatch: '*.spec.ts',
  timeout: 60_000,
  expect: { timeout: 15_000 }, // machines that are shared are slow at times
  workers: 2,
  retries: process.env.CI ? 1 : 0, // once, and told as flaky: the machine there is shared
  reporter: [['line']],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
  webServer: {
    command: `../bin/pikegate demo --listen 127.0.0.1:${port} --data "$(mktemp -d)" --as-of 2026-11-23`,
    url: `http://127.0.0.1:${port}/healthz`,
    timeout: 60_000,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 5000 },
  },
});
