import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { signatureOf } from './function.ts';
import { formulaFunctions } from './functions/index.ts';

test('the page on formulas has every function as it is called, and says which are extras', () => {
  const page = readFileSync(join(__dirname, '../../../docs/formulas.md'), 'utf8');
  for (const fn of formulaFunctions)
    expect(page).toContain(`| \`${signatureOf(fn)}\`${fn.isExtra ? ' *extra*' : ''} |`);
});
