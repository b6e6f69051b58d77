const blot = '▒▒▒';

/**
 * Keeps secrets out of what is logged, stored or answered: every known secret is replaced wherever
 * it stands in a text. Shorter than four characters is not looked for: it would blot out ordinary words.
 */
export class Blotting {
  private readonly secrets = new Set<string>();

  learn(secret: string): void {
    if (secret.length >= 4) this.secrets.add(secret);
  }

  clean(text: string): string {
    let cleaned = text;
    for (const secret of this.secrets) if (cleaned.includes(secret)) cleaned = cleaned.replaceAll(secret, blot);
    return cleaned;
  }
}
