import { execSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { ask } from './acts.ts';
import { startProduct } from './product.ts';

const product = await startProduct(true, 60);
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
  page.on('pageerror', (e) => console.log('PAGEERROR', e.message));
  page.on('console', (m) => m.type() === 'error' && console.log('CONSOLE', m.text()));
  const folder = join(product.folder, 'papers');
  mkdirSync(folder);
  await ask(product, 'POST', '/api/connections', { app: 'documents', name: 'Office documents', settings: { folder } });
  await page.goto(product.url + '/workflows/new');
  const from = page.getByRole('region', { name: 'From' });
  await from.getByRole('button', { name: /^Shop counter/ }).click();
  await from.getByRole('button', { name: /^orders/ }).click();
  const to = page.getByRole('region', { name: 'To', exact: true });
  await to.getByRole('button', { name: /^Office documents/ }).click();
  await page.waitForTimeout(800);
  await page.screenshot({ path: '/tmp/l1.png' });
  await page.getByRole('button', { name: 'Make a page here' }).click();
  await page.waitForTimeout(2500);
  await page.screenshot({ path: '/tmp/l2.png' });
  await page.getByLabel('Name of the template').fill('Delivery note');
  await page.getByRole('button', { name: 'Save the page' }).click();
  await page.waitForTimeout(1500);
  await page.screenshot({ path: '/tmp/l3.png' });
  await to.getByRole('button', { name: /^Delivery note \(PDF\)/ }).click();
  await page.waitForTimeout(800);
  await page
    .getByRole('button', { name: 'Make the draft' })
    .click()
    .catch(() => undefined);
  await page.waitForTimeout(4000);
  await page.screenshot({ path: '/tmp/l4.png' });
  await page.getByRole('button', { name: 'Place', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Change the page' }).click();
  await page.waitForTimeout(2500);
  await page.screenshot({ path: '/tmp/l5.png' });
} finally {
  await browser.close();
  product.stop();
}
