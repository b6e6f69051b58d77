import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useAsksOf } from '../api/queries.ts';
import { ApprovalTable } from '../asking/ApprovalTable.tsx';
import { QuestionCards } from '../asking/QuestionCards.tsx';
import type { AnswerBody, AskRow } from '../asking/types.ts';
import { counted, formatDayAndTime } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useZone } from '../parts/use-zone.ts';

/** What a step asks about each record that waits: looked at, changed, approved or refused, answered. */
export function AnswerPage() {
  const { id = '', step = '' } = useParams();
  const zone = useZone();
  const { data, error } = useAsksOf(id, step);
  const [notes, setNotes] = useState<string>();
  const [problems, setProblems] = useState<Readonly<Record<string, Readonly<Record<string, string>>>>>({});
  const answer = useAction(async (answers: AnswerBody['answers']) => {
    const { results } = await call('POST /api/asks', { body: { answers } });
    setProblems(
      Object.fromEntries(
        results.flatMap((one, at) =>
          one.state === 'unfit'
            ? [
                [
                  answers[at]?.itemId ?? '',
                  Object.fromEntries(one.problems.map(({ path, message }) => [path, message])),
                ],
              ]
            : [],
        ),
      ),
    );
    setNotes(notesOf(results));
  });
  if (error)
    return (
      <div className="p-6">
        <ProblemMessage>{error.message}</ProblemMessage>
      </div>
    );
  if (!data) return <Loading what="what is asked" />;
  const { rows, total, workflow, name } = data;
  const [first] = rows;
  const isApproval = first?.asked.what.kind === 'approval';
  const words = first && rows.every(({ asked }) => asked.words === first.asked.words) ? first.asked.words : '';
  const shared = { rows, problems, isBusy: answer.isPending, onAnswer: answer.mutate };
  return (
    <div className="px-5 py-4 max-md:px-3">
      <p className="text-sm text-ink-2">
        <Link to={`/workflows/${id}`} className="hover:underline">
          {workflow}
        </Link>
        {name && ` · ${name}`}
      </p>
      <h1 className="mb-1 text-2xl">
        {total === 0
          ? 'Nothing is asked here any more'
          : isApproval
            ? `${counted(total, 'record')} to approve`
            : `${counted(total, 'record')} with questions to answer`}
      </h1>
      {first && (
        <p className="mb-3 text-ink-2">
          {whomText(first)}
          {first.until !== null && ` The first until ${formatDayAndTime(first.until, zone)}.`} Not answering never
          counts as a yes.
        </p>
      )}
      <div role="status">{notes && <p className="mb-3 rounded-md bg-pine-faint px-3 py-2">{notes}</p>}</div>
      {words !== '' && <p className="mb-3 max-w-[760px] whitespace-pre-wrap">{words}</p>}
      {total === 0 ? (
        <EmptyState
          title="All of it is answered."
          action={
            <Link to="/needs-you" className="underlined font-medium">
              See what else needs you
            </Link>
          }
        >
          Records come here when the workflow asks about them.
        </EmptyState>
      ) : isApproval ? (
        <ApprovalTable {...shared} showsWords={words === ''} />
      ) : (
        <QuestionCards {...shared} showsWords={words === ''} />
      )}
      {total > rows.length && (
        <p className="mt-3 text-ink-2">{total - rows.length} more come once these are answered.</p>
      )}
    </div>
  );
}

const whomText = ({ asked: { to } }: AskRow): string =>
  to.length === 0
    ? 'Nobody was written to: it is asked here only.'
    : `Also asked by mail: ${to.join(', ')}. The first answer counts.`;

type Results = Awaited<ReturnType<typeof call<'POST /api/asks'>>>['results'];

/** What became of the answers. */
function notesOf(results: Results): string {
  const count = (state: Results[number]['state']): number => results.filter((one) => one.state === state).length;
  const before = results.find((one) => one.state === 'before');
  return [
    count('taken') > 0 && `${count('taken')} answered.`,
    count('unfit') > 0 && `${count('unfit')} not taken: something doesn’t fit.`,
    count('changed') > 0 && `${count('changed')} changed meanwhile: look at them once more.`,
    before?.state === 'before' && `${count('before')} answered by ${before.who} before.`,
    count('over') > 0 && `${count('over')} not asked any more.`,
  ]
    .filter(Boolean)
    .join(' ');
}
