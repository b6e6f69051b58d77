import { type Connector, Unsure, type WriteRequest, type Written } from '@golden/connectors';
import type { Answer } from '@golden/core';
import { answerOf, noteBroken } from './answers.ts';
import type { EngineContext } from './context.ts';
import type { Intent } from './intents.ts';
import { storeIntent } from './intents.ts';
import { answerOfSettled, settleDirect } from './settle.ts';

/** How often a write is sent at most, each time only after it is certain that it was not done. */
const mostSends = 4;

/**
 * Writes one record at a time: the intent is on the disk before the request leaves. Only the
 * request itself takes one of the connection's slots, so that storing never keeps the app waiting.
 */
export async function writeDirect(context: EngineContext, connector: Connector, intent: Intent): Promise<Answer> {
  context.seams.reach('intent:before-store');
  await context.commits.run((trx) => storeIntent(context, trx, intent));
  context.seams.reach('intent:after-store');
  return sendDirect(context, connector, { write: intent.effect.write, token: intent.token }, false);
}

/** Sends a write whose intent is stored; `isResumed` when an earlier process may have sent it. */
export async function sendDirect(
  context: EngineContext,
  connector: Connector,
  request: WriteRequest,
  isResumed: boolean,
): Promise<Answer> {
  let mayBeDone = isResumed;
  for (let sends = 0; sends < mostSends; sends++) {
    try {
      if (mayBeDone) {
        const answer = answerOfSettled(await settleDirect(context, connector, request));
        if (answer) return answer;
      }
      context.seams.reach('send:before');
      const { write } = request;
      const written = await context
        .slots(write.target.connection)
        .add(() => (write.kind === 'create' ? connector.create(request) : connector.update(request)));
      context.seams.reach('send:after');
      return { kind: 'written', ...(written as Written) };
    } catch (error) {
      if (!(error instanceof Unsure)) {
        await noteBroken(context.connections, request.write.target.connection, error);
        return answerOf(error);
      }
      mayBeDone = true;
    }
  }
  const message = 'The app breaks off again and again, so that it can’t be found out whether this was written.';
  return { kind: 'refused', cause: 'unsure', message };
}
