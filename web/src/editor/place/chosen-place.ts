/** A place as a person has chosen it, with its app's connection. */
export interface ChosenPlace {
  readonly connection: string;
  readonly path: string[];
  readonly labels: string[];
}

/** The app of what comes by itself: nobody signs in to it, and nothing is written there. */
export const inboxApp = 'inbox';

/** What the product keeps itself: nobody connects or disconnects it. */
export const ownApps: readonly string[] = [inboxApp, 'unsubscribed'];
