import { isMailAddress } from '@golden/connectors';
import { z } from 'zod';

// What is set of an address to which mails are sent, and how far the setting up of forwarding has come.

/** One who may send: an address, or all of a domain, such as @clay.example. */
const Sender = z
  .string()
  .trim()
  .toLowerCase()
  .max(254)
  .refine(
    (text) => isMailAddress(text) || isMailAddress(`any${text}`),
    'A sender is an address such as ada@clay.example, or a domain such as @clay.example.',
  );

export const MailDoorSettingSchema = z.object({
  /** Who may send; everybody when empty. */
  senders: z.array(Sender).max(200),
  /** The server whose checks of senders count (RFC 8601 authserv-id); '' for none: then nobody is proven. */
  trusted: z.string().trim().max(253),
});
export type MailDoorSetting = z.infer<typeof MailDoorSettingSchema>;

/** Proposed for a new address: everybody may write to it, as to any address. */
export const newMailDoorSetting: MailDoorSetting = { senders: [], trusted: '' };

/** How far the setting up of forwarding from a mailbox has come. */
export const ForwardingSchema = z.object({
  /** The address of the mailbox whose mails are sent on. */
  mailbox: z.string(),
  /** The mail that asked whether this address wants them, with what it offers to be opened or typed in. */
  confirmation: z.object({ seq: z.int(), links: z.array(z.string()), codes: z.array(z.string()) }).nullable(),
  /** A mail that was sent to the mailbox to see whether it comes on from there. */
  probe: z
    .object({ token: z.string(), sentAt: z.string(), by: z.string().nullable(), cameAt: z.string().nullable() })
    .nullable(),
});
export type Forwarding = z.infer<typeof ForwardingSchema>;

/** Why somebody may not send to an address, as a sentence; undefined where they may. */
export function whyMayNotSend(
  { senders, trusted }: MailDoorSetting,
  sender: string,
  isProven: boolean,
): string | undefined {
  if (senders.length === 0) return undefined;
  const from = sender.toLowerCase();
  if (!senders.some((one) => (one.startsWith('@') ? from.endsWith(one) : from === one)))
    return `${sender || 'It has no sender, who'} isn’t one of those who may send to this address.`;
  return trusted === '' || isProven
    ? undefined
    : `It says that it is from ${sender}, but ${trusted} hasn’t found that to be so.`;
}
