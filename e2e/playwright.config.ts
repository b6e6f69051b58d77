import { execSync } from 'node:child_process';
import { defineConfig } from '@playwright/test';

/** Debian's chromium; Playwright's own browsers are not fetched. */
const executablePath = execSync('command -v chromium', { encoding: 'utf8' }).trim();

export default defineConfig({
  testDir: '.',
  testMatch: '*.spec.ts',
  outputDir: '../test-results',
  timeout: 180_000,
  expect: { timeout: 10_000 },
  workers: 1,
  reporter: process.env['GOLDEN_E2E_JSON']
    ? [['line'], ['json', { outputFile: process.env['GOLDEN_E2E_JSON'] }]]
    : 'line',
  use: {
    actionTimeout: 8000,
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath,
      args: ['--no-sandbox', '--disable-dev-shm-usage', '--disable-gpu', '--disable-background-networking'],
    },
  },
});
