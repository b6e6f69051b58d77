import { type Afterwards, afterwardsOf, foundAgainBy, markableFields, withAfterwards } from '@golden/core';
import { Chooser } from '../../parts/Chooser.tsx';
import { Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';

/** Whether each record says, where it came from, when all was done with it: in which field, and by what it is found again. */
export function DoneMark() {
  const { draft } = useEditor();
  const { start } = draft.content;
  const { source } = start;
  if (!source) return null;
  const { fields, findBy, singular } = source.described;
  const fit = markableFields(source.described);
  const now = afterwardsOf(draft.content);
  if (fit.length === 0 || (now.kind !== 'leave' && now.kind !== 'mark')) return null;
  const say = (choice: Afterwards): void => draft.change((content) => withAfterwards(content, choice));
  const by = now.kind === 'mark' ? now.by : foundAgainBy(start);
  const keys = fields.filter(({ path, type }) => (findBy ? findBy.includes(path) : type !== 'list'));
  return (
    <>
      <Select
        aria-label={`Where the ${singular} says when it was done`}
        className="max-w-[230px]"
        value={now.kind === 'mark' ? now.field : ''}
        onChange={({ target }) =>
          say(target.value === '' || by === undefined ? { kind: 'leave' } : { kind: 'mark', field: target.value, by })
        }
        choices={[
          { value: '', label: `the ${singular} stays as it is` },
          ...fit
            .filter(({ path }) => path !== by)
            .map(({ path, label }) => ({
              value: path,
              label: `its “${label}” says when that was`,
              isOff: by === undefined,
            })),
        ]}
      />
      {now.kind === 'mark' && (
        <>
          <span className="text-ink-2">found again by</span>
          <Chooser
            aria-label={`The ${singular} is found again by`}
            value={now.by}
            onChoose={(path) => say({ ...now, by: path })}
            choices={keys.filter(({ path }) => path !== now.field).map(({ path, label }) => ({ value: path, label }))}
          />
        </>
      )}
    </>
  );
}
