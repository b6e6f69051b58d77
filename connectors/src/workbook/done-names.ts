import { doneMark } from '../connector.ts';

/** Names for a file that is put away, the plainest first: where one is taken the next is tried. */
export function* doneNames(name: string, isMarked: boolean): Generator<string> {
  const [, stem = name, ending = ''] = /^(.+?)(\.[^.]+)?$/s.exec(name) ?? [];
  const mark = isMarked ? doneMark : '';
  yield `${mark}${name}`;
  for (let number = 2; number < 1000; number++) yield `${mark}${stem} (${number})${ending}`;
}

/** Files that programs put beside others while they write or hold them. */
export const isPassingFile = (name: string): boolean =>
  /^[.~]/.test(name) || /\.(part|partial|crdownload|tmp|golden-part)$/i.test(name);
