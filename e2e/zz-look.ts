import { chromium } from '@playwright/test';
import { ask, workflowCalled } from './acts.ts';
import { startProduct } from './product.ts';

const product = await startProduct(true, 400);
try {
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.on('pageerror', (e) => console.log('pageerror', e.message));
  const id = await workflowCalled(product, 'Trade firms as counter customers, approved');
  const shot = async (n: string, full = false) => { await page.waitForTimeout(900); await page.screenshot({ path: `/tmp/look-${n}.png`, fullPage: full }); };
  await page.goto(product.url); await page.getByText('taken in today').waitFor(); await page.waitForTimeout(1500); await shot('today');
  await page.goto(`${product.url}/answer/${id}/approve`); await shot('answer');
  await page.goto(`${product.url}/workflows/${id}?sentence=approve`); await page.waitForTimeout(2500); await shot('sheet');
  const w = await ask<any>(product, 'GET', `/api/workflows/${id}`);
  const qs = w.content.steps.map((s: any) => s.id === 'approve' ? { ...s, what: { kind: 'questions', questions: [{ key: 'q1', label: 'How much credit do they get?', type: 'choice', options: ['none','500','2000'], isRequired: true },{ key: 'q2', label: 'Anything to note?', type: 'long_text', isRequired: false }] } } : s);
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev: w.rev, content: { ...w.content, steps: qs } });
  await page.goto(`${product.url}/workflows/${id}?sentence=approve`); await page.waitForTimeout(2500); await shot('questions');
  await page.goto(`${product.post}/mailboxes/mira@saltmarsh.example/INBOX`); await shot('post');
  await page.getByRole('link', { name: /Please approve/ }).first().click(); await shot('mail');
  const text = await page.textContent('body') ?? '';
  const link = /http:\/\/\S+\/ask\/[\w-]+\/[\w-]+/.exec(text)?.[0] ?? '';
  console.log(link);
  await page.goto(link); await shot('public', false);
  await page.setViewportSize({ width: 390, height: 800 }); await page.goto(link); await shot('public-phone');
  await page.emulateMedia({ colorScheme: 'dark' }); await page.goto(link); await shot('public-dark');
  await page.emulateMedia({ colorScheme: 'light' });
  await page.goto(`${product.url}/answer/${id}/approve`); await shot('answer-phone');
  await browser.close();
} finally { product.stop(); }
