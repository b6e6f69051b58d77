import { type Pointer, readableValue, type ShownField, type ShownWrite, toText } from '@golden/core';
import { Check, X } from 'lucide-react';
import { Fragment, useMemo, useState } from 'react';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { inputLook } from '../parts/Field.tsx';
import { counted } from '../parts/formats.ts';
import { ChangeInput, ShownFields } from './ShownFields.tsx';
import type { AnswerBody, AnswerProps, AskRow } from './types.ts';

type Typed = Readonly<Record<string, Readonly<Record<Pointer, string>>>>;

const shownOf = ({ asked }: AskRow): ShownWrite | undefined =>
  asked.what.kind === 'approval' ? asked.what.shown : undefined;

/** What would be written, a row a record: values are changed in place, and all or some are approved or refused. */
export function ApprovalTable({ rows, problems, isBusy, showsWords, onAnswer }: AnswerProps) {
  const [typed, setTyped] = useState<Typed>({});
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [refusing, setRefusing] = useState<readonly AskRow[]>();
  const some = rows.filter(({ id }) => chosen.has(id));
  const meant = some.length > 0 ? some : rows;
  const type = (id: string, path: Pointer, value: string): void =>
    setTyped((before) => ({ ...before, [id]: { ...before[id], [path]: value } }));
  const approve = (which: readonly AskRow[]): void => onAnswer(which.map((row) => yes(row, typed[row.id] ?? {})));
  const choose = (id: string, isOn: boolean): void =>
    setChosen((before) => new Set(isOn ? [...before, id] : [...before].filter((one) => one !== id)));
  const what = some.length > 0 ? `these ${some.length}` : rows.length === 1 ? 'it' : `all ${rows.length}`;
  return (
    <>
      <div className="mb-3 flex flex-wrap items-center gap-2">
        <Button look="main" icon={<Check size={15} strokeWidth={2} />} disabled={isBusy} onClick={() => approve(meant)}>
          Approve {what}
        </Button>
        <Button icon={<X size={15} strokeWidth={2} />} disabled={isBusy} onClick={() => setRefusing(meant)}>
          Refuse {what}…
        </Button>
        <span className="text-sm text-ink-2">
          {some.length > 0
            ? `${counted(some.length, 'record')} chosen`
            : 'Choose some to answer only those. Values can be changed before.'}
        </span>
      </div>
      <div className="max-md:hidden">
        <Wide {...{ rows, problems, typed, type, chosen, choose, showsWords }} />
      </div>
      <ul className="space-y-3 md:hidden">
        {rows.map((row) => {
          const shown = shownOf(row);
          return (
            <li key={row.id} className="rounded-lg border border-line-1 bg-sheet px-3 py-2.5">
              <Head row={row} isChosen={chosen.has(row.id)} onChoose={choose} showsWords={showsWords} />
              {shown && (
                <ShownFields
                  shown={shown}
                  typed={typed[row.id] ?? {}}
                  problems={problems[row.id] ?? {}}
                  of={`${row.title}: `}
                  onType={(path, value) => type(row.id, path, value)}
                />
              )}
            </li>
          );
        })}
      </ul>
      {refusing && (
        <RefuseDialog
          count={refusing.length}
          onClose={() => setRefusing(undefined)}
          onRefuse={(reason) => {
            onAnswer(refusing.map(({ id, print }) => ({ itemId: id, print, says: { kind: 'no', reason } })));
            setRefusing(undefined);
          }}
        />
      )}
    </>
  );
}

/** A yes with what was typed into its fields. */
const yes = ({ id, print }: AskRow, changes: Readonly<Record<Pointer, string>>): AnswerBody['answers'][number] => ({
  itemId: id,
  print,
  says: { kind: 'yes', changes: { ...changes } },
});

interface WideProps extends Pick<AnswerProps, 'rows' | 'problems' | 'showsWords'> {
  readonly typed: Typed;
  readonly type: (id: string, path: Pointer, value: string) => void;
  readonly chosen: ReadonlySet<string>;
  readonly choose: (id: string, isOn: boolean) => void;
}

function Wide({ rows, problems, typed, type, chosen, choose, showsWords }: WideProps) {
  const columns = useMemo(() => columnsOf(rows), [rows]);
  const isAll = rows.every(({ id }) => chosen.has(id));
  return (
    <div className="max-h-[72vh] overflow-auto border border-line-1" data-sheet-scroll>
      <table className="sheet">
        <thead>
          <tr>
            <th scope="col" className="sticky left-0 z-10 min-w-[220px] bg-paper">
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="accent-pine"
                  aria-label="Choose all"
                  checked={isAll}
                  onChange={({ target }) => {
                    for (const { id } of rows) choose(id, target.checked);
                  }}
                />
                Record
              </label>
            </th>
            <th scope="col" className="min-w-[130px]">
              What is done
            </th>
            {columns.map(({ field: { path, label }, width }) => (
              <th key={path} scope="col" style={{ minWidth: width }}>
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const shown = shownOf(row);
            return (
              <tr key={row.id} className="align-top">
                <th scope="row" className="sticky left-0 bg-sheet text-left font-normal">
                  <Head row={row} isChosen={chosen.has(row.id)} onChoose={choose} showsWords={showsWords} />
                </th>
                <td className="text-ink-2">
                  <span className="block pt-1">
                    {shown?.kind === 'create' ? `new ${shown.singular}` : `changes the ${shown?.singular}`}
                  </span>
                </td>
                {columns.map(({ field: { path } }) => {
                  const field = shown?.fields.find((one) => one.path === path);
                  return (
                    <td key={path}>
                      {field && (
                        <FieldCell
                          field={field}
                          title={row.title}
                          value={typed[row.id]?.[path]}
                          problem={problems[row.id]?.[path]}
                          onType={(value) => type(row.id, path, value)}
                        />
                      )}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

interface Column {
  readonly field: ShownField;
  /** Pixels that its values need, within reason. */
  readonly width: number;
}

/** The fields of all rows, each once, in the order in which they are first met. */
function columnsOf(rows: readonly AskRow[]): readonly Column[] {
  const columns = new Map<string, Column>();
  for (const row of rows)
    for (const field of shownOf(row)?.fields ?? []) {
      const known = columns.get(field.path);
      const width = Math.min(300, 34 + 7.4 * Math.max(field.label.length, readableValue(field.after).length));
      columns.set(field.path, { field: known?.field ?? field, width: Math.max(110, width, known?.width ?? 0) });
    }
  return [...columns.values()];
}

interface HeadProps {
  readonly row: AskRow;
  readonly isChosen: boolean;
  readonly onChoose: (id: string, isOn: boolean) => void;
  readonly showsWords: boolean;
}

function Head({ row: { id, title, asked }, isChosen, onChoose, showsWords }: HeadProps) {
  return (
    <div className="pt-1">
      <label className="flex items-start gap-2 font-medium">
        <input
          type="checkbox"
          className="mt-1 accent-pine"
          checked={isChosen}
          onChange={({ target }) => onChoose(id, target.checked)}
        />
        {title}
      </label>
      {showsWords && asked.words !== '' && (
        <p className="mt-0.5 text-sm whitespace-pre-wrap text-ink-2">{asked.words}</p>
      )}
      {asked.again && <p className="mt-0.5 text-sm text-brass">Asked once more. {asked.again}</p>}
    </div>
  );
}

interface CellProps {
  readonly field: ShownField;
  readonly title: string;
  readonly value: string | undefined;
  readonly problem: string | undefined;
  readonly onType: (value: string) => void;
}

function FieldCell({ field, title, value, problem, onType }: CellProps) {
  const { canChange, after, before, label } = field;
  return (
    <Fragment>
      {canChange ? (
        <ChangeInput
          field={field}
          label={`${title}: ${label}`}
          value={value ?? toText(after)}
          isBad={problem !== undefined}
          onType={onType}
        />
      ) : (
        <span className="block pt-1 whitespace-pre-wrap">{readableValue(after) || 'empty'}</span>
      )}
      {before !== undefined && <p className="text-sm text-ink-2">now: {readableValue(before) || 'empty'}</p>}
      {problem && (
        <p role="alert" className="text-sm text-brick">
          {problem}
        </p>
      )}
    </Fragment>
  );
}

interface RefuseProps {
  readonly count: number;
  readonly onClose: () => void;
  readonly onRefuse: (reason: string) => void;
}

function RefuseDialog({ count, onClose, onRefuse }: RefuseProps) {
  const [reason, setReason] = useState('');
  return (
    <ConfirmDialog
      title={count === 1 ? 'Refuse it' : `Refuse these ${count}`}
      isOpen
      onClose={onClose}
      confirm="Refuse"
      isBusy={reason.trim() === ''}
      onConfirm={() => onRefuse(reason.trim())}
    >
      <label className="block">
        <span className="mb-1 block">It isn’t written. Why not?</span>
        <input className={`${inputLook} w-full`} value={reason} onChange={({ target }) => setReason(target.value)} />
      </label>
    </ConfirmDialog>
  );
}
