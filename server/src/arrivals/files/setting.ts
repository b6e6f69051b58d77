import { PointerSchema } from '@golden/core';
import { z } from 'zod';

/** By what a record of a file is recognised when it stands in a later one again. */
export const RecogniseSchema = z.discriminatedUnion('kind', [
  /** By a field that names it, in whichever file. */
  z.object({ kind: z.literal('field'), path: PointerSchema }),
  /** By all that it holds, in files of the same name: so often as it stands in the one, so often it is known. */
  z.object({ kind: z.literal('content') }),
  /** By nothing: each file brings new records only. */
  z.object({ kind: z.literal('nothing') }),
]);
export type Recognise = z.infer<typeof RecogniseSchema>;

/** What happens to a file in its folder once all of it is stored. */
export const afterwards = ['left', 'marked', 'moved'] as const;

export const FileSettingSchema = z.object({
  recognise: RecogniseSchema,
  /** True until a person has chosen by what they are recognised. */
  isProposed: z.boolean(),
  /** A folder in which files appear; null where they are only dropped. */
  watch: z
    .object({
      connection: z.string(),
      /** A name, in which `*` stands for anything. */
      pattern: z.string().trim().min(1, 'Say which files, such as *.csv.').max(120),
      afterwards: z.enum(afterwards),
      /** Files that workflows of ours write are taken like any other. */
      takesOwn: z.boolean().optional(),
    })
    .nullable(),
});
export type FileSetting = z.infer<typeof FileSettingSchema>;

export const newFileSetting: FileSetting = { recognise: { kind: 'content' }, isProposed: true, watch: null };

/** Whether a file's name fits a pattern in which `*` stands for anything; upper and lower case are the same. */
export function fitsPattern(name: string, pattern: string): boolean {
  const escaped = pattern.split('*').map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  return new RegExp(`^${escaped.join('.*')}$`, 'iu').test(name.normalize('NFC'));
}

/** What the states of one file share: its name, without the number that a browser adds to a second download. */
export const seriesOf = (name: string): string =>
  name
    .normalize('NFC')
    .toLowerCase()
    .replace(/ ?\(\d{1,3}\)(?=\.[a-z]+$)/, '');
