import { mkdtempSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { StatMarks, statMark } from './stat-marks.ts';

const fine = '1 2 30 1700000000123456789 1700000000123456789';
const coarse = '1 2 30 1700000000000000000 1700000000000000000';

describe('a file known by its mark', () => {
  test('a hash is kept only of a mark that has stood longer than a step of the file system', () => {
    for (const [mark, step] of [
      [fine, 60],
      [coarse, 2500],
    ] as const) {
      let now = 0;
      const marks = new StatMarks(() => now);
      marks.see('a', mark);
      marks.keep('a', mark, 'early');
      expect(marks.see('a', mark).etag).toBeUndefined();
      now = step - 1;
      marks.keep('a', mark, 'still early');
      expect(marks.see('a', mark).etag).toBeUndefined();
      now = step;
      marks.keep('a', mark, 'certain');
      expect(marks.see('a', mark).etag).toBe('certain');
      expect(marks.see('a', `${mark}1`).etag).toBeUndefined();
      expect(marks.see('a', mark).etag).toBeUndefined();
    }
  });

  // A model of a file system that counts in steps: what is told by a mark is what is in the file.
  test('however a file is written and looked at, a known hash is that of its content', () => {
    const act = fc.oneof(
      fc.record({ kind: fc.constant('write' as const), content: fc.constantFrom('a', 'b', 'c') }),
      fc.record({ kind: fc.constant('look' as const), content: fc.constant('') }),
      fc.record({
        kind: fc.constant('wait' as const),
        content: fc.constant(''),
        by: fc.integer({ min: 1, max: 2000 }),
      }),
    );
    const isRight = (acts: readonly { kind: string; content: string; by?: number }[], step: number): boolean => {
      let [now, content, writtenAt] = [10_000, 'a', 10_000];
      const marks = new StatMarks(() => now);
      const markNow = (): string => {
        const time = BigInt(Math.floor(writtenAt / step) * step) * 1_000_000n + (step < 1000 ? 1n : 0n);
        return `1 2 1 ${time} ${time}`;
      };
      return acts.every(({ kind, content: next, by }) => {
        if (kind === 'wait') now += by ?? 0;
        if (kind === 'write') [content, writtenAt] = [next, now];
        if (kind !== 'look') return true;
        const { etag } = marks.see('f', markNow());
        if (etag !== undefined) return etag === content;
        marks.keep('f', markNow(), content);
        return true;
      });
    };
    fc.assert(fc.property(fc.array(act, { maxLength: 40 }), fc.constantFrom(4, 10, 1000, 2000), isRight), {
      numRuns: 2000,
    });
  });

  test('the mark of a real file changes when it is written, also where its time is put back', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'stat-marks-'));
    const path = join(folder, 'a.csv');
    expect(await statMark(path)).toBeUndefined();
    writeFileSync(path, 'A\n1\n');
    const before = await statMark(path);
    const { atime, mtime } = statSync(path);
    // In the next step of the file system's clock.
    do writeFileSync(path, 'A\n2\n');
    while (statSync(path).ctimeMs === mtime.getTime() || (await statMark(path)) === before);
    utimesSync(path, atime, mtime);
    expect(await statMark(path)).not.toBe(before);
    rmSync(folder, { recursive: true });
  });
});
