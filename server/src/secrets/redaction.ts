const blot = '▒▒▒';

/** Shorter ones aren't looked for: they may be ordinary words. */
const shortest = 8;

/** From this length on a secret is found inside of other text too; a shorter one only as a word of its own. */
const unmistakable = 16;

/** The parts of an answer that are sentences of ours or of an app; everything else is somebody's data. */
const spoken: ReadonlySet<string> = new Set(['message', 'messages', 'problem', 'reason', 'said', 'trouble', 'remark']);

/** The parts that hold records and what people built; a field of theirs may be called “message” too. */
const kept: ReadonlySet<string> = new Set(
  'record records values before made body first example content samples payload tables'.split(' '),
);

/**
 * Keeps secrets out of what is logged, told and answered. Only sentences are touched, and only where a
 * secret stands in them whole: records and what is kept of them stay as they are, for a key may be a
 * word that stands in a customer's name, and what is kept may be written back one day.
 */
export class Redaction {
  private readonly secrets = new Set<string>();

  /** A secret as it is sent; what follows a scheme, as in “Bearer X” (RFC 9110 section 11.4), is one by itself. */
  learn(secret: string): void {
    const [, credentials = ''] = /^[A-Za-z][\w-]*\s+(\S.*)$/.exec(secret.trim()) ?? [];
    for (const one of [secret.trim(), credentials]) {
      if (one.length < shortest) continue;
      this.secrets.add(one);
      this.secrets.add(encodeURIComponent(one));
    }
  }

  /** A sentence without secrets. */
  clean(text: string): string {
    let cleaned = text;
    for (const secret of this.secrets) if (cleaned.includes(secret)) cleaned = without(cleaned, secret);
    return cleaned;
  }

  /** An answer whose sentences hold no secrets: a copy where one did, the same value where none does. */
  cleanAnswer<T>(answer: T): T {
    if (this.secrets.size === 0) return answer;
    return this.walk(answer, false) as T;
  }

  private walk(value: unknown, isSpoken: boolean): unknown {
    if (typeof value === 'string') return isSpoken ? this.clean(value) : value;
    if (typeof value !== 'object' || value === null) return value;
    if (Array.isArray(value)) {
      const made = value.map((one) => this.walk(one, isSpoken));
      return made.every((one, at) => one === value[at]) ? value : made;
    }
    let made: Record<string, unknown> | undefined;
    for (const [name, inner] of Object.entries(value)) {
      if (kept.has(name)) continue;
      const cleaned = this.walk(inner, spoken.has(name));
      if (cleaned === inner) continue;
      made ??= { ...value } as Record<string, unknown>;
      made[name] = cleaned;
    }
    return made ?? value;
  }
}

/** The text without a secret that stands in it: whole, not as a part of a longer word. */
function without(text: string, secret: string): string {
  if (secret.length >= unmistakable) return text.replaceAll(secret, blot);
  const isOfWord = (sign: string): boolean => /[\p{L}\p{N}_]/u.test(sign);
  let cleaned = '';
  let from = 0;
  for (let at = text.indexOf(secret); at >= 0; at = text.indexOf(secret, at + secret.length)) {
    const end = at + secret.length;
    if (isOfWord(text.charAt(at - 1)) || isOfWord(text.charAt(end))) continue;
    cleaned += text.slice(from, at) + blot;
    from = end;
  }
  return cleaned + text.slice(from);
}
