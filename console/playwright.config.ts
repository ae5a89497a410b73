import { defineConfig } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { freePort } from './tests/port';

// Two runs beside each other do not share a port: the first process takes a free one, and its workers inherit it.
process.env.PIKEGATE_TEST_PORT ??= execFileSync(process.execPath, ['-e', freePort], { encoding: 'utf8' });
const port = process.env.PIKEGATE_TEST_PORT;

// The real service with the ferry line in it, and Debian's browser.
export default defineConfig({
  testDir: 'tests',
  testMatch: '*.spec.ts',
  timeout: 120_000, // deadlines are for what never comes: machines that are shared are slow at times
  expect: { timeout: 30_000 },
  workers: 2,
  retries: 0, // a test that passes only at its second try hides something
  reporter: [['line']],
  reportSlowTests: { max: 5, threshold: 10_000 },
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
