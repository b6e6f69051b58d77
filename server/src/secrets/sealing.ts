import { createCipheriv, createDecipheriv, createHash, createHmac, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { keepPrivate } from '../db/private.ts';
import { Told } from '../told.ts';

/** A sealed value can't be opened: another key sealed it, or it was altered. */
export class CannotUnseal extends Told {
  override readonly name = 'CannotUnseal';
  readonly status = 409;
  readonly type = 'sign-in-again';
  constructor() {
    super('The stored access key can’t be opened any more (another master key). Enter it again, or sign in again.');
  }
}

/**
 * Seals secrets with AES-256-GCM. A sealed text names the key that sealed it:
 * `v1.<key id>.<nonce>.<tag>.<ciphertext>`, each part in base64url.
 */
export class Sealing {
  private readonly key: Buffer;
  readonly keyId: string;

  constructor(keyText: string) {
    this.key = createHash('sha256').update(keyText).digest();
    this.keyId = createHash('sha256').update(this.key).digest('base64url').slice(0, 8);
  }

  seal(secret: string): string {
    const nonce = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', this.key, nonce);
    const sealed = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
    return ['v1', this.keyId, ...[nonce, cipher.getAuthTag(), sealed].map((part) => part.toString('base64url'))].join(
      '.',
    );
  }

  /** What stands for a secret where two have to be told apart: without the master key nothing of it can be found out. */
  markOf(secret: string): string {
    return createHmac('sha256', this.key).update(secret).digest('base64url').slice(0, 22);
  }

  /** @throws CannotUnseal */
  unseal(sealed: string): string {
    const [version, keyId, nonce = '', tag = '', text = ''] = sealed.split('.');
    if (version !== 'v1' || keyId !== this.keyId) throw new CannotUnseal();
    try {
      const decipher = createDecipheriv('aes-256-gcm', this.key, Buffer.from(nonce, 'base64url'));
      decipher.setAuthTag(Buffer.from(tag, 'base64url'));
      return Buffer.concat([decipher.update(Buffer.from(text, 'base64url')), decipher.final()]).toString('utf8');
    } catch {
      throw new CannotUnseal();
    }
  }
}

/** The key file holds no key; the message says what to do. */
export class NoKey extends Error {
  override readonly name = 'NoKey';
}

/**
 * The master key: from the environment, else from a file that only its owner reads, made when missing.
 * @throws NoKey when the file is there and empty: a new key would make every stored sign-in useless
 */
export function masterKey(environment: string | undefined, file: string): string {
  if (environment) return environment;
  if (!existsSync(file)) writeFileSync(file, randomBytes(32).toString('base64url'), { mode: 0o600 });
  const key = readFileSync(file, 'utf8').trim();
  if (key === '')
    throw new NoKey(
      `The key file ${file} is empty. Put a copy of it back. Without one, remove the file: then every connection has to be signed in again.`,
    );
  keepPrivate(file);
  return key;
}
