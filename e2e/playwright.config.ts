import { execSync } from 'node:child_process';
import { defineConfig } from '@playwright/test';

/** Debian's chromium, the one without a window where it is there; Playwright's own browsers are not fetched. */
const executablePath = execSync('command -v chromium-headless-shell || command -v chromium', {
  encoding: 'utf8',
}).trim();

export default defineConfig({
  testDir: '.',
  testMatch: '*.spec.ts',
  outputDir: '../test-results',
  // Far beyond what a busy machine takes: they end what hangs, and judge nothing.
  timeout: 600_000,
  expect: { timeout: 90_000 },
  // A browser that stops answering is started anew, once; what passes only then is told as flaky.
  retries: 1,
  workers: 2,
  fullyParallel: false,
  reporter: process.env['GOLDEN_E2E_JSON']
    ? [['line'], ['json', { outputFile: process.env['GOLDEN_E2E_JSON'] }]]
    : 'line',
  use: {
    actionTimeout: 90_000,
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/London',
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath,
      args: ['--no-sandbox', '--disable-dev-shm-usage', '--disable-gpu', '--disable-background-networking'],
    },
  },
});
