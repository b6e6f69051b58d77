import { companyName } from '../matching/normalise/company.ts';
import { splitName } from '../values/person-name.ts';

/** Words that no person is called by, but mailboxes are (common practice). */
const functionWords =
  /^(?:team|support|info|information|sales|office|service|services|accounts|accounting|billing|orders?|store|school|primary|academy|college|university|studio|gallery|club|council|department|reception|desk|admin|administrator|contact|hello|news|newsletter|notifications?|noreply|mailer|postmaster|webmaster|kontakt|vertrieb|verkauf|buchhaltung|schule|werkstatt|töpferei|atelier|école|escuela|boutique|supply|supplies|pottery|potteries|ceramics|kilns?|clay|works|workshop|shops?|group|society|church|library)$/iu;

/** Characters of a name that are looked at. */
const mostOfName = 200;

/**
 * The first name with which somebody is greeted, from the name that their mails bear; empty where none can be told:
 * a firm's name, a mailbox's, a single family name.
 */
export function firstNameOf(shown: string): string {
  const name = shown
    .slice(0, mostOfName)
    .replace(/\([^()]*\)|\[[^[\]]*\]/g, ' ')
    .replace(/^[\s'"“”„]+|[\s'"“”„]+$/g, '')
    .replace(/\s+(?:via|c\/o|@|\||–|—|-)\s.*$/iu, '')
    .trim();
  const words = name.split(/\s+/);
  if (name === '' || /[@\d&/_]/.test(name) || words.length > 5) return '';
  if (companyName(name).form !== '' || words.some((word) => functionWords.test(word))) return '';
  // In these scripts the family's name stands first.
  if (/^[\p{Script=Han}\p{Script=Hangul}\p{Script=Hiragana}\p{Script=Katakana}\s]+$/u.test(name))
    return words.length === 2 ? (words[1] ?? '') : '';
  return splitName(name).first;
}
