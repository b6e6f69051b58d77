import {
  afterAnswer,
  type FieldProblem,
  type Filling,
  type ManyAnswer,
  type PlacedStep,
  plainStepId,
  toText,
  type WorkflowContent,
} from '@golden/core';
import { useState } from 'react';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { type AlikeCase, type DecideItem, useAction, useAlike } from '../api/queries.ts';
import { withStep } from '../editor/draft/edits.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { inputLook } from '../parts/Field.tsx';
import { counted } from '../parts/formats.ts';
import { Loading } from '../parts/Messages.tsx';

interface AlikeProps {
  readonly item: DecideItem;
  readonly onClose: () => void;
  readonly onDecided: (count: number) => void;
}

type Way = 'empty' | 'value' | 'source' | 'there' | 'new' | 'remove' | 'retry' | 'dismiss';

const wayWords: Readonly<Record<Way, string>> = {
  empty: 'Leave it empty',
  value: 'Set one value for all',
  source: 'Use what the source has',
  there: 'Keep what is there',
  new: 'Each is a new one',
  remove: 'Remove each for good',
  retry: 'Retry each',
  dismiss: 'Dismiss them',
};

/** The answers that cases of a cause can have in common. */
function waysFor(cause: DecideItem['cause']): readonly Way[] {
  if (cause === 'value') return ['empty', 'value', 'retry', 'dismiss'];
  if (cause === 'differs') return ['source', 'there', 'dismiss'];
  if (cause === 'unclear' || cause === 'double') return ['new', 'retry', 'dismiss'];
  if (cause === 'removal') return ['remove', 'dismiss'];
  return ['retry', 'dismiss'];
}

/** Cases that are alike, settled by one answer; what it would make of each stands beside it before. */
export function AlikeDrawer({ item, onClose, onDecided }: AlikeProps) {
  const alike = useAlike(item.id);
  // As they were when it was opened: they go from the desk one by one while they are settled.
  const [cases, setCases] = useState(alike.data);
  if (!cases && alike.data) setCases(alike.data);
  return (
    <Drawer title={`Settle cases like ${item.title}`} isOpen isWide onClose={onClose}>
      {cases ? (
        <Cases item={item} cases={cases} onClose={onClose} onDecided={onDecided} />
      ) : (
        <Loading what="the cases that are alike" />
      )}
    </Drawer>
  );
}

function Cases({ item, cases, onClose, onDecided }: AlikeProps & { readonly cases: readonly AlikeCase[] }) {
  const ways = waysFor(item.cause);
  const [way, setWay] = useState<Way>();
  const [text, setText] = useState('');
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [isRule, setRule] = useState(false);
  const [problems, setProblems] = useState<readonly { id: string; title: string; message: string }[]>([]);
  const fields = (cases[0]?.fields ?? []) as FieldProblem[];
  const chosen = cases.filter(({ id }) => !left.has(id));
  const answer = answerOf(way, text, fields);
  const settle = useAction(async () => {
    if (!answer) return;
    if (isRule && !(await leaveEmptyFromNowOn(item, fields)))
      toast.error(`No rule was made: the draft of ${item.workflow} fills ${namesOf(fields)} otherwise by now.`);
    const done = await call('POST /api/items/:id/alike', {
      params: { id: item.id },
      body: { ids: chosen.map(({ id }) => id), answer },
    });
    setProblems(done.left);
    onDecided(done.settled);
    toast(`${counted(done.settled, 'record')} settled.`);
    if (done.left.length === 0) onClose();
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        settle.mutate(undefined);
      }}
    >
      <p className="mb-3 text-ink-2">{item.message}</p>
      <fieldset className="mb-3">
        <legend className="mb-1 font-medium">The answer for all that are ticked</legend>
        {ways.map((one) => (
          <label key={one} className="flex min-h-6 items-center gap-2">
            <input type="radio" name="way" className="accent-pine" checked={way === one} onChange={() => setWay(one)} />
            {wayWords[one]}
          </label>
        ))}
      </fieldset>
      {(way === 'value' || way === 'dismiss') && (
        <label className="mb-3 block">
          <span className="mb-1 block">
            {way === 'value' ? `${fields[0]?.label ?? 'The value'} for all` : 'Because'}
          </span>
          <input className={`${inputLook} w-full`} value={text} onChange={(event) => setText(event.target.value)} />
        </label>
      )}
      {way === 'empty' && item.cause === 'value' && (
        <label className="mb-3 flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 accent-pine"
            checked={isRule}
            onChange={(event) => setRule(event.target.checked)}
          />
          <span>
            Make it a rule: leave {namesOf(fields)} empty whenever it can’t be read
            <span className="block text-sm text-ink-2">
              It is put into the draft of {item.workflow}, and holds once that is live.
            </span>
          </span>
        </label>
      )}
      <table className="sheet mb-3 w-full bg-sheet">
        <thead>
          <tr>
            <th scope="col">Record</th>
            {fields.length > 0 && <th scope="col">Now</th>}
            {fields.length > 0 && <th scope="col">With this answer</th>}
          </tr>
        </thead>
        <tbody>
          {cases.map((one) => (
            <tr key={one.id}>
              <th scope="row" className="font-medium">
                <label className="flex min-h-6 items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-pine"
                    checked={!left.has(one.id)}
                    onChange={(event) => setLeft(toggled(left, one.id, !event.target.checked))}
                  />
                  {one.title}
                </label>
              </th>
              {fields.length > 0 && (
                <td>
                  {(one.fields as FieldProblem[]).map((field) => (
                    <span key={field.path} className="block [overflow-wrap:anywhere]">
                      {fields.length > 1 && `${field.label}: `}
                      {toText(field.given) || 'empty'}
                    </span>
                  ))}
                </td>
              )}
              {fields.length > 0 && (
                <td>
                  {answer && !left.has(one.id) ? (
                    <After answer={answer} fields={one.fields as FieldProblem[]} />
                  ) : (
                    <span className="text-ink-2">waits</span>
                  )}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {problems.length > 0 && (
        <ul role="alert" className="mb-3 text-brick">
          {problems.map(({ id, title, message }) => (
            <li key={id}>
              {title}: {message}
            </li>
          ))}
        </ul>
      )}
      <Button look="main" type="submit" disabled={!answer || chosen.length === 0 || settle.isPending}>
        {settle.isPending ? 'Settling…' : `Settle ${counted(chosen.length, 'record')}`}
      </Button>
    </form>
  );
}

/** What one answer makes of one case. */
function After({ answer, fields }: { readonly answer: ManyAnswer; readonly fields: readonly FieldProblem[] }) {
  if (answer.kind === 'retry') return <span>tried again</span>;
  if (answer.kind === 'dismiss') return <span>not copied</span>;
  if (answer.kind === 'new') return <span>a new one</span>;
  if (answer.kind === 'remove') return <span>removed</span>;
  return fields.map((field) => (
    <span key={field.path} className="block [overflow-wrap:anywhere]">
      {fields.length > 1 && `${field.label}: `}
      {toText(afterAnswer(answer, field)) || <em className="text-ink-2">empty</em>}
    </span>
  ));
}

function answerOf(way: Way | undefined, text: string, fields: readonly FieldProblem[]): ManyAnswer | undefined {
  const all = (value: string): ManyAnswer => ({
    kind: 'set',
    values: Object.fromEntries(fields.map(({ path }) => [path, value])),
  });
  switch (way) {
    case 'empty':
      return all('');
    case 'value':
      return text.trim() ? all(text.trim()) : undefined;
    case 'source':
    case 'there':
      return { kind: 'whose', whose: way };
    case 'new':
    case 'remove':
    case 'retry':
      return { kind: way };
    case 'dismiss':
      return text.trim() ? { kind: 'dismiss', reason: text.trim() } : undefined;
    case undefined:
      return undefined;
  }
}

/**
 * The rule from values: the fillings of these fields leave empty what can't be read, in the workflow's draft.
 * False where the draft fills none of them any more by a field or a text.
 */
async function leaveEmptyFromNowOn(
  { workflowId, step }: DecideItem,
  fields: readonly FieldProblem[],
): Promise<boolean> {
  const { content, rev } = await call('GET /api/workflows/:id', { params: { id: workflowId } });
  const id = plainStepId(step);
  const paths = new Set(fields.map(({ path }) => path));
  const filled = (content as WorkflowContent).steps.find((one) => one.id === id);
  const mapping = filled && 'mapping' in filled ? filled.mapping : {};
  if (![...paths].some((path) => isReading(mapping[path]))) return false;
  const draft = withEmptied(id, paths)(content as WorkflowContent);
  await call('PUT /api/workflows/:id/draft', { params: { id: workflowId }, body: { content: draft, rev } });
  return true;
}

/** A filling whose value may be one that can't be read. */
const isReading = (filling: Filling | undefined): filling is Extract<Filling, { kind: 'field' | 'text' }> =>
  filling?.kind === 'field' || filling?.kind === 'text';

const withEmptied = (stepId: string, paths: ReadonlySet<string>) =>
  withStep<PlacedStep>(stepId, (step) => ({
    ...step,
    mapping: Object.fromEntries(
      Object.entries(step.mapping).map(([path, filling]) => [
        path,
        paths.has(path) && isReading(filling) ? { ...filling, unread: 'empty' as const } : filling,
      ]),
    ),
  }));

const namesOf = (fields: readonly FieldProblem[]): string => fields.map(({ label }) => label).join(', ');

function toggled(set: ReadonlySet<string>, id: string, isIn: boolean): ReadonlySet<string> {
  const next = new Set(set);
  if (isIn) next.add(id);
  else next.delete(id);
  return next;
}
