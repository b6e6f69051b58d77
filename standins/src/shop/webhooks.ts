import { createHmac, randomBytes } from 'node:crypto';
import type Database from 'better-sqlite3';
import { type Signing, Webhooks } from '../kit/webhooks.ts';

/**
 * A message's signature: HMAC-SHA-256 (RFC 2104, FIPS 180-4) over its id, its time and its body,
 * joined with points, in base64.
 */
export function signMessage(secret: string, id: string, timestamp: number, body: string): string {
  return createHmac('sha256', secret).update(`${id}.${timestamp}.${body}`).digest('base64');
}

const signing: Signing = {
  newSecret: () => randomBytes(32).toString('base64'),
  headers: (secret, id, timestamp, body) => ({
    'shop-message': id,
    'shop-time': String(timestamp),
    'shop-signature': signMessage(secret, id, timestamp, body),
  }),
};

/** Tells those who asked of what happens in the shop. */
export class ShopWebhooks extends Webhooks {
  constructor(db: Database.Database) {
    super(db, signing);
  }

  tell(event: string, record: object): void {
    this.post(event, { event, record });
  }
}
