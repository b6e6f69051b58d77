import { isWebAddress } from '@golden/core';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { call } from '../../api/client.ts';
import type { Connection } from '../../api/queries.ts';

/** How often the server is asked whether the person has answered, in milliseconds. */
const every = 800;

interface Wish {
  readonly app: string;
  readonly name: string;
  readonly settings: Record<string, string>;
  readonly mayWrite: boolean;
  /** The connection that is signed in anew. */
  readonly id?: string;
}

/** Sends a person to an app to sign in, in a page of its own, and waits for their coming back. */
export function useSignIn(onDone: (connection: Connection) => void, onProblem: (message: string) => void) {
  const client = useQueryClient();
  const [underWay, setUnderWay] = useState<{ readonly state: string; readonly url: string }>();
  useEffect(() => {
    if (!underWay) return undefined;
    const timer = setInterval(async () => {
      const now = await call('GET /api/sign-ins/:state', { params: { state: underWay.state } }).catch(() => undefined);
      if (!now || now.state === 'waiting') return;
      setUnderWay(undefined);
      await client.invalidateQueries({ queryKey: ['connections'] });
      if (now.state === 'done' && now.connection?.status === 'working') onDone(now.connection);
      else onProblem(now.message ?? now.connection?.message ?? 'Signing in didn’t work. Try again.');
    }, every);
    return () => clearInterval(timer);
  }, [underWay, client, onDone, onProblem]);
  const begin = async (wish: Wish): Promise<void> => {
    // Opened in the very moment of the click, so that the browser doesn't take it for an advertisement.
    const page = window.open('', '_blank');
    // The app's page learns nothing of ours, and can't lead it elsewhere.
    if (page) page.opener = null;
    try {
      const begun = await call('POST /api/sign-ins', { body: wish });
      if (!isWebAddress(begun.url)) throw new Error('The app’s sign-in page can’t be opened.');
      setUnderWay(begun);
      if (page) page.location.href = begun.url;
    } catch (error) {
      page?.close();
      onProblem((error as Error).message);
    }
  };
  return { begin, isWaiting: underWay !== undefined, url: underWay?.url };
}
