import { createHmac, randomBytes } from 'node:crypto';
import type { Signing } from './webhooks.ts';

/** Signs by Standard Webhooks 1.0: HMAC-SHA-256 over id, time and body, joined with points, in base64. */
export const standardSigning: Signing = {
  newSecret: () => `whsec_${randomBytes(24).toString('base64')}`,
  headers: (secret, id, timestamp, body) => {
    const key = Buffer.from(secret.replace(/^whsec_/, ''), 'base64');
    const signature = createHmac('sha256', key).update(`${id}.${timestamp}.${body}`).digest('base64');
    return { 'webhook-id': id, 'webhook-timestamp': String(timestamp), 'webhook-signature': `v1,${signature}` };
  },
};
