import {
  type Field,
  fieldAt,
  isRecord,
  pointerLabel,
  readPointer,
  type StepResult,
  toText,
  type Value,
} from '@golden/core';
import { formatNumber } from '../../parts/formats.ts';

interface SentProps {
  readonly sent: Record<string, Value>;
  readonly read: Record<string, Value> | null;
  readonly result: StepResult | undefined;
  /** The fields of the place it was written to, by whose labels it is told. */
  readonly fields: readonly Field[];
}

type Line = Readonly<Record<string, Value>>;

const isLines = (value: Value | undefined): value is Line[] =>
  Array.isArray(value) && value.length > 0 && value.every((one) => isRecord(one));

const linesIn = (value: Value | undefined): readonly Line[] => (isLines(value) ? value : []);

/** The receipt of a write: what was sent beside what was read back, and for a change what stood there before. */
export function SentAndRead({ sent, read, result, fields }: SentProps) {
  const changes = result?.kind === 'written' && result.outcome === 'changed' ? result.changes : [];
  const entries = Object.entries(sent);
  const label = (path: string): string => fieldAt(fields, path)?.label ?? pointerLabel(path);
  const there = (path: string): Value | undefined => (read === null ? undefined : readPointer(read, path));
  return (
    <>
      <table className="sheet dense mt-3 table-fixed border border-line-1">
        <thead>
          <tr>
            <th scope="col" className="w-[27%]">
              Field
            </th>
            {changes.length > 0 && <th scope="col">Before</th>}
            <th scope="col">Sent</th>
            <th scope="col">Read back</th>
          </tr>
        </thead>
        <tbody>
          {entries
            .filter(([, value]) => !isLines(value))
            .map(([path, value]) => (
              <tr key={path}>
                <th scope="row" className="break-words whitespace-normal!">
                  {label(path)}
                </th>
                {changes.length > 0 && (
                  <td className="break-words">
                    <del className="text-ink-2 decoration-brick">
                      {toText(changes.find((change) => change.path === path)?.before) || 'empty'}
                    </del>
                  </td>
                )}
                <td className="break-words">
                  <Shown value={value} />
                </td>
                <ReadCell isRead={read !== null} sent={value} there={there(path)} />
              </tr>
            ))}
        </tbody>
      </table>
      {entries
        .filter(([, value]) => isLines(value))
        .map(([path, value]) => (
          <LinesTable
            key={path}
            title={label(path)}
            sent={linesIn(value)}
            read={read === null ? null : linesIn(there(path))}
            fields={fieldAt(fields, path)?.fields ?? []}
          />
        ))}
    </>
  );
}

const Shown = ({ value }: { readonly value: Value | undefined }) =>
  toText(value) || <em className="text-ink-3">empty</em>;

interface ReadProps {
  readonly isRead: boolean;
  readonly sent: Value | undefined;
  readonly there: Value | undefined;
}

/** What was read back; marked where it isn't what was sent. */
function ReadCell({ isRead, sent, there }: ReadProps) {
  const isSame = toText(there) === toText(sent);
  return (
    <td className={`break-words ${isRead && !isSame ? 'bg-slate-tint text-slate' : ''}`}>
      {isRead ? <Shown value={there} /> : <em className="text-ink-3">not read</em>}
    </td>
  );
}

interface LinesProps {
  readonly title: string;
  readonly sent: readonly Line[];
  readonly read: readonly Line[] | null;
  readonly fields: readonly Field[];
}

/** Lines as a table: a row a line and a field, sent beside read back. */
function LinesTable({ title, sent, read, fields }: LinesProps) {
  const names = [...new Set(sent.flatMap((line) => Object.keys(line)))];
  return (
    <table className="sheet dense mt-3 table-fixed border border-line-1">
      <caption className="py-1.5 text-left font-medium">
        {title}: {formatNumber(sent.length)} sent
        {read !== null && `, ${formatNumber(read.length)} read back`}
      </caption>
      <thead>
        <tr>
          <th scope="col" className="w-[9%]">
            Line
          </th>
          <th scope="col" className="w-[27%]">
            Field
          </th>
          <th scope="col">Sent</th>
          <th scope="col">Read back</th>
        </tr>
      </thead>
      {sent.map((line, at) => (
        // Lines keep their order and have no other identity.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <tbody key={at}>
          {names.map((name, index) => (
            <tr key={name}>
              <td className="text-ink-2">{index === 0 ? at + 1 : ''}</td>
              <th scope="row" className="break-words whitespace-normal!">
                {fieldAt(fields, `/${name}`)?.label ?? name}
              </th>
              <td className="break-words">
                <Shown value={line[name]} />
              </td>
              <ReadCell isRead={read !== null} sent={line[name]} there={read?.[at]?.[name]} />
            </tr>
          ))}
        </tbody>
      ))}
    </table>
  );
}
