import type { FileToAttach } from '../app.ts';
import type { NamedFile } from './attached-files.ts';

// Pictures within a simply formatted text: `![words](name of a file)`. Only a file that goes along with the mail can be
// one, so that a value which a customer has written can't take out another.

/** Kinds of pictures that mail programs show. */
const shown = /\.(?:png|jpe?g|gif|webp)$/i;

/** A picture by its mark; a name may have brackets of its own. */
const mark = /!\[([^\]\n]*)\]\(([^()\n]*(?:\([^()\n]*\)[^()\n]*)*)\)/g;

/** Files that a text names as pictures; one that lies elsewhere is only linked. */
const namesIn = (text: string): string[] =>
  [...text.matchAll(mark)].flatMap(([, , name = '']) => (/^(?:https?|cid):/i.test(name.trim()) ? [] : [name.trim()]));

/** What keeps a picture in a text from being shown. */
export function pictureProblems(
  text: string,
  attached: readonly Pick<NamedFile, 'name'>[],
): { readonly name: string; readonly message: string }[] {
  return namesIn(text).flatMap((name) => {
    if (!attached.some((file) => file.name === name))
      return [
        {
          name,
          message: `The picture “${name}” doesn’t go along. Choose it as an attached file, or take it out of the text.`,
        },
      ];
    return shown.test(name)
      ? []
      : [{ name, message: `“${name}” is no picture that mails show: png, jpg, gif or webp.` }];
  });
}

/**
 * A text whose pictures are named by the parts of the mail that hold them (RFC 2392), and the Content-ID of each file that
 * is one; the other files are attached as ever.
 */
export function withPictures(
  text: string,
  files: readonly Pick<FileToAttach, 'name'>[],
  token: string,
): { readonly text: string; readonly pictures: ReadonlyMap<string, string> } {
  const named = new Set(namesIn(text));
  const pictures = new Map(
    files.filter(({ name }) => named.has(name)).map(({ name }, at) => [name, `picture-${at + 1}.${token}@golden`]),
  );
  const written = text.replace(mark, (whole, words: string, name: string) => {
    const id = pictures.get(name.trim());
    return id === undefined ? whole : `![${words}](cid:${id})`;
  });
  return { text: written, pictures };
}
