import { execSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import { ask } from './acts.ts';
import { startProduct } from './product.ts';

const product = await startProduct(true, 60);
let page0: Page | undefined;
const browser = await chromium.launch({
  executablePath: execSync('command -v chromium-headless-shell').toString().trim(),
  args: ['--no-sandbox'],
});
try {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/London',
  });
  const page = await context.newPage();
  page0 = page;
  page.setDefaultTimeout(15000);
  page.on('pageerror', (e) => console.log('PAGEERROR', e.message));
  const folder = join(product.folder, 'papers');
  mkdirSync(folder);
  await ask(product, 'POST', '/api/connections', { app: 'documents', name: 'Office documents', settings: { folder } });
  await page.goto(product.url + '/settings');
  await page.getByRole('button', { name: 'Make a page here' }).focus();
  await page.keyboard.press('Enter');
  const d = page.getByRole('dialog');
  await d.getByLabel('Name of the template').focus();
  await page.keyboard.type('Letter');
  // keyboard alone: to the heading
  for (let i = 0; i < 12; i++) {
    await page.keyboard.press('Tab');
    const n = await page.evaluate(
      () => document.activeElement?.getAttribute('aria-label') ?? document.activeElement?.textContent ?? '',
    );
    console.log(i, n.slice(0, 50));
  }
  await page.waitForTimeout(1500);
  await page.emulateMedia({ colorScheme: 'dark' });
  await page.waitForTimeout(600);
  await page.screenshot({ path: '/tmp/k1.png' });
  await page.setViewportSize({ width: 640, height: 800 });
  await page.waitForTimeout(800);
  await page.screenshot({ path: '/tmp/k2.png' });
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.emulateMedia({ colorScheme: 'light' });
  await d.getByRole('button', { name: 'Save the page' }).click();
  await page.waitForTimeout(1500);
  await page.screenshot({ path: '/tmp/k3.png', fullPage: true });
  // invoice kind
  await page.goto(product.url + '/workflows/new');
  const from = page.getByRole('region', { name: 'From', exact: true });
  await from.getByRole('button', { name: /^Ledger/ }).click();
  await from.getByRole('button', { name: /retail/ }).click();
  await from.getByRole('button', { name: /^invoices/ }).click();
  const to = page.getByRole('region', { name: 'To', exact: true });
  await to.getByRole('button', { name: /^Office documents/ }).click();
  await page.waitForTimeout(600);
  await page.screenshot({ path: '/tmp/k4.png' });
  await to.getByRole('button', { name: /^Electronic invoice/ }).click();
  await page.getByRole('button', { name: 'Make the draft' }).click();
  await page.waitForTimeout(5000);
  await page.screenshot({ path: '/tmp/k5.png' });
  await page.getByRole('button', { name: 'Place', exact: true }).click();
  await page.getByRole('menuitem', { name: 'See the document' }).click();
  await page.waitForTimeout(3000);
  await page.screenshot({ path: '/tmp/k6.png' });
} catch (e) {
  console.log(String(e).slice(0, 600));
  await page0?.screenshot({ path: '/tmp/kx.png' });
} finally {
  await browser.close();
  product.stop();
}
