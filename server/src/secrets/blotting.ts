const blot = '▒▒▒';

/** So long a secret can't be a word that stands in somebody's records. */
const longSecret = 16;

/**
 * Keeps secrets out of what is logged, told and answered: every known secret is replaced wherever it
 * stands in a text. Records and what is kept of them are never touched: a key may be a word that
 * stands in a customer's name.
 */
export class Blotting {
  private readonly secrets = new Set<string>();

  learn(secret: string): void {
    if (secret !== '') this.secrets.add(secret);
  }

  /**
   * A message without secrets. One shorter than four characters is not looked for: it would blot out
   * ordinary words.
   */
  clean(text: string): string {
    return this.without(text, 4);
  }

  /** An answer that holds data: only what can't be a word of theirs is blotted out. */
  cleanAnswer(text: string): string {
    return this.without(text, longSecret);
  }

  private without(text: string, shortest: number): string {
    let cleaned = text;
    for (const secret of this.secrets)
      if (secret.length >= shortest && cleaned.includes(secret)) cleaned = cleaned.replaceAll(secret, blot);
    return cleaned;
  }
}
