import { foldCase } from './text.ts';

// Yes and no as people write them in the ten languages of our users (common practice): English, German,
// French, Spanish, Italian, Portuguese, Dutch, Polish, Swedish and Danish.

const yesWords = ['yes', 'true', 'ja', 'oui', 'sí', 'si', 'sì', 'sim', 'tak'];
const noWords = ['no', 'false', 'nein', 'non', 'não', 'nee', 'nie', 'nej', 'nei'];
const yes = new Set([...yesWords, 'y', 'j', '1', 'on'].map(foldCase));
const no = new Set([...noWords, 'n', '0', 'off'].map(foldCase));
const words = new Set([...yesWords, ...noWords].map(foldCase));

/** What a text says as an answer to yes or no; undefined where it says neither. */
export function readYesNo(text: string): boolean | undefined {
  const word = foldCase(text.trim());
  if (yes.has(word)) return true;
  return no.has(word) ? false : undefined;
}

/** Whether a text is a word for yes or no, which a figure or a single letter isn't. */
export const isYesNoWord = (text: string): boolean => words.has(foldCase(text.trim()));
