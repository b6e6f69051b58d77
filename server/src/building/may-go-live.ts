import { isReady, proposalsToAccept, type WorkflowContent } from '@golden/core';
import { doorsOf, expectReached } from '../doors/doors.ts';
import { expectForwarded } from '../doors/mail/forwarding.ts';
import { NotPossible } from '../engine/errors.ts';
import { rehearsedFingerprint } from '../engine/rehearse.ts';
import { expectNoRound } from '../handing/receivers.ts';
import type { Services } from '../services.ts';

/**
 * A draft may go live: it was rehearsed as it is, nobody has to look at a proposal any more, and what is to come by
 * itself comes. One that isn't ready is told so by making it live.
 *
 * @throws NotPossible
 */
export async function expectMayGoLive(services: Services, id: string): Promise<void> {
  const { draft } = await services.workflows.get(id);
  await expectNoRound(services, id);
  if (!isReady(draft)) return;
  await expectLookedAt(services, id, draft);
  await expectReached(services, draft);
  await expectForwarded(services, doorsOf(draft.start));
}

/** Nothing goes live that wasn't rehearsed as it is, nor with a proposal for money or ids that nobody has looked at. */
async function expectLookedAt({ db }: Services, id: string, draft: WorkflowContent): Promise<void> {
  const [open] = proposalsToAccept(draft);
  if (open)
    throw new NotPossible(
      `Nobody has accepted what is suggested for “${open.label}” in ${open.place} yet. Look at it on the sheet, then accept or change it.`,
    );
  const rehearsal = await db
    .selectFrom('rehearsal')
    .select(['fingerprint', 'state'])
    .where('workflow_id', '=', id)
    .executeTakeFirst();
  const isRehearsed = rehearsal?.fingerprint === rehearsedFingerprint(draft) && rehearsal.state !== 'broken';
  if (!isRehearsed) throw new NotPossible('The draft hasn’t been rehearsed as it is now. Rehearse it first.');
}
