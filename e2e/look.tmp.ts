import { execSync } from 'node:child_process';
import { chromium } from '@playwright/test';
import { startProduct } from './product.ts';
const product = await startProduct(true, 60);
const browser = await chromium.launch({ executablePath: execSync('command -v chromium || command -v chromium-headless-shell', { encoding: 'utf8' }).trim(), args: ['--no-sandbox', '--disable-dev-shm-usage', '--disable-gpu'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.setDefaultTimeout(30000);
try {
const api = async (method: string, path: string, body?: unknown) => {
  const r = await fetch(product.url + path, { method, headers: { 'content-type': 'application/json' }, ...(body ? { body: JSON.stringify(body) } : {}) });
  const t = await r.text();
  if (!r.ok) console.log(method, path, r.status, t.slice(0, 400));
  return JSON.parse(t);
};
await page.goto(product.url + '/in-step');
await page.getByText('No two places').waitFor();
await page.screenshot({ path: '/tmp/s0.png' });
const conns = await api('GET', '/api/connections') as { id: string; app: string; name: string }[];
const cards = conns.find((c) => c.app === 'card_index')!;
const news = conns.find((c) => c.app === 'newsletter_list')!;
const made = await api('POST', '/api/in-step', { kind: 'places', from: { connection: cards.id, path: ['people'], labels: ['People'] }, to: { connection: news.id, path: ['potters', 'subscribers'], labels: ['Potters', 'subscribers'] } });
console.log(made);
const view = await api('GET', '/api/in-step/' + made.id);
console.log(JSON.stringify(view, null, 1).slice(0, 6000));
await page.goto(product.url + '/in-step?id=' + made.id);
await page.getByText('Field by field').waitFor();
await page.screenshot({ path: '/tmp/s1.png', fullPage: false });
await page.getByRole('button', { name: 'Rehearse both' }).click();
await page.getByText(/new|the same|need you/).first().waitFor();
await page.waitForTimeout(6000);
await page.screenshot({ path: '/tmp/s2.png' });
const after = await api('GET', '/api/in-step/' + made.id);
console.log(JSON.stringify(after.legs, null, 1).slice(0, 3000));
} catch (e) { console.log(e); await page.screenshot({ path: '/tmp/fail.png' }); }
await browser.close();
process.exit(0);
