/** What is asked of whoever looks after an app. */
export interface KeyRequest {
  readonly app: string;
  readonly records: string;
  readonly mayWrite: boolean;
}

/** A short mail to whoever looks after an app: it asks for an access key with no more rights than are needed. */
export function keyRequestText({ app, records, mayWrite }: KeyRequest): string {
  const name = app.trim() || 'the app';
  const what = records.trim() || 'our records';
  const rights = mayWrite
    ? `read, create and change ${what}; please give it no other rights (no deleting, no users, no settings)`
    : `read ${what}; please give it no right to write`;
  return [
    'Hello,',
    '',
    `I want to copy ${what} ${mayWrite ? 'into' : 'from'} ${name} with a program called Golden Relay, which runs on our own machine.`,
    '',
    'Could you please send me:',
    `1. the web address (URL) of the programming interface (API) of ${name};`,
    `2. an access key (API key or token) for it that can only ${rights};`,
    '3. the name of the header in which the key is sent, if it is not “Authorization”.',
    '',
    'If you can choose, please make the key for Golden Relay alone, so that it can be withdrawn without harm to anything else.',
    '',
    'Please don’t send the key in the same mail as the address.',
    '',
    'Thank you',
  ].join('\n');
}
