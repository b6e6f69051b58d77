/** What a mail server says of a mail for one of its recipients. */
export interface DeliveryReport {
  readonly recipient: string;
  readonly action: 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded';
  /** The three figures of RFC 3463, such as `5.1.1`. */
  readonly status: string;
  /** The words of the server that refused it, where it is told. */
  readonly reason: string;
}

const actions = ['failed', 'delayed', 'delivered', 'relayed', 'expanded'] as const;

/**
 * Reads the part `message/delivery-status` of a bounce: fields of the message, then of each recipient, in groups with an
 * empty line between them (RFC 3464 section 2.1). A group without a recipient or an action is left out.
 */
export function readDeliveryStatus(text: string): DeliveryReport[] {
  const groups = text
    .replace(/\r\n?/g, '\n')
    .split(/\n[ \t]*\n/)
    .map(fieldsOf);
  return groups.flatMap((fields): DeliveryReport[] => {
    const recipient = fields.get('final-recipient') ?? fields.get('original-recipient');
    const told = fields.get('action')?.toLowerCase();
    const action = actions.find((one) => one === told);
    if (recipient === undefined || action === undefined) return [];
    return [
      {
        recipient: afterType(recipient),
        action,
        status: /\d\.\d{1,3}\.\d{1,3}/.exec(fields.get('status') ?? '')?.[0] ?? '',
        reason: afterType(fields.get('diagnostic-code') ?? ''),
      },
    ];
  });
}

/** The fields of a group, folded lines put together (RFC 5322 section 2.2.3); the first of a name counts. */
function fieldsOf(group: string): Map<string, string> {
  const fields = new Map<string, string>();
  for (const line of group.replace(/\n[ \t]+/g, ' ').split('\n')) {
    const at = line.indexOf(':');
    const name = line.slice(0, at).trim().toLowerCase();
    if (at > 0 && !fields.has(name)) fields.set(name, line.slice(at + 1).trim());
  }
  return fields;
}

/** What stands behind the type, as in `rfc822; ada@clay.example` and `smtp; 550 no such user`; comments are kept. */
const afterType = (text: string): string =>
  (/^[^;\s]+\s*;\s*([\s\S]*)$/.exec(text)?.[1] ?? text).replace(/^<|>$/g, '').trim();
