import { defineConfig } from '@playwright/test';
import { freePort } from './tests/service';

// Two runs beside each other do not share a port: the first process takes a free one, and its workers inherit it.
process.env.PIKEGATE_TEST_PORT ??= freePort();
const port = process.env.PIKEGATE_TEST_PORT;

// The real service with the ferry line in it, and Debian's browser.
export default defineConfig({
  testDir: 'tests',
  testMatch: '*.spec.ts',
  timeout: 300_000, // deadlines are for what never comes: a shared machine is at times a fourth as fast
  expect: { timeout: 60_000 },
  workers: 2,
  retries: 0, // a test that passes only at its second try hides something
  reporter: [['line']],
  reportSlowTests: { max: 5, threshold: 10_000 },
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    contextOptions: { reducedMotion: 'reduce' }, // colours change at once
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium-headless-shell',
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
    timeout: 120_000,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 5000 },
  },
});
