import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { foldersIn } from './folders.ts';

test('folders are listed by name without hidden ones, workbooks counted; what isn’t there is said', async () => {
  const root = mkdtempSync(join(tmpdir(), 'golden-folders-'));
  try {
    for (const name of ['Übersicht', 'accounts', '.hidden', 'Lists']) mkdirSync(join(root, name));
    for (const name of ['a.xlsx', 'B.CSV', '~$a.xlsx', '.c.csv', 'letter.docx']) writeFileSync(join(root, name), '');
    const { folders, workbooks, at, above } = await foldersIn(root);
    expect([at, above, workbooks]).toEqual([root, tmpdir(), 2]);
    expect(folders.map(({ name }) => name)).toEqual(['accounts', 'Lists', 'Übersicht']);
    expect(folders[1]?.path).toBe(join(root, 'Lists'));
    await expect(foldersIn(join(root, 'nowhere'))).rejects.toThrow(/isn’t there/);
    expect((await foldersIn('/')).above).toBeNull();
  } finally {
    rmSync(root, { recursive: true, force: true });
  }
});
