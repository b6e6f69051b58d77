import { type Equality, equalities, equalityLabels, type ReconcileSetting } from '@golden/core';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { type Reconcile, useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { inputLook, Select, TextField } from '../parts/Field.tsx';

interface SettingProps {
  readonly reconcile: Reconcile;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

const notCompared = 'none';

/** What is compared: by what records are recognised, which fields count, and what counts as equal. */
export function SettingDrawer({ reconcile, isOpen, onClose }: SettingProps) {
  const [name, setName] = useState(reconcile.name);
  const [setting, setSetting] = useState<ReconcileSetting>(reconcile.setting);
  const [dailyAt, setDailyAt] = useState(reconcile.dailyAt);
  const save = useAction(async () => {
    if (dailyAt !== reconcile.dailyAt)
      await call('PUT /api/reconciles/:id/daily', { params: { id: reconcile.id }, body: { at: dailyAt || null } });
    await call('PUT /api/reconciles/:id', { params: { id: reconcile.id }, body: { name, setting } });
    onClose();
  });
  const labelOf = (path: string): string => reconcile.fields.find((one) => one.path === path)?.label ?? path;
  const free = reconcile.fields.filter(({ path }) => !setting.rungs.some((rung) => rung.path === path));
  const compare = (path: string, as: string): void => {
    const { [path]: _old, ...others } = setting.fields;
    setSetting({ ...setting, fields: as === notCompared ? others : { ...others, [path]: as as Equality } });
  };
  return (
    <Drawer
      title="What is compared"
      isOpen={isOpen}
      onClose={onClose}
      isWide
      foot={
        <Button look="main" disabled={save.isPending || name.trim() === ''} onClick={() => save.mutate(undefined)}>
          Save and compare again
        </Button>
      }
    >
      <TextField label="Name" value={name} maxLength={120} onChange={(event) => setName(event.target.value)} />
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={dailyAt !== null}
            onChange={(event) => setDailyAt(event.target.checked ? '06:00' : null)}
            className="accent-pine"
          />
          Compare each day
        </label>
        {dailyAt !== null && (
          <input
            type="time"
            aria-label="At which time"
            value={dailyAt}
            onChange={(event) => setDailyAt(event.target.value)}
            className={inputLook}
          />
        )}
        <span className="text-sm text-ink-2">
          What isn’t the same then stands on Today, and is mailed where that is set.
        </span>
      </div>
      <h3 className="mt-4 mb-2 text-lg">Records are recognised by</h3>
      <label className="mb-2 flex items-center gap-2">
        <input
          type="checkbox"
          checked={setting.usesLinks}
          onChange={(event) => setSetting({ ...setting, usesLinks: event.target.checked })}
          className="accent-pine"
        />
        what is remembered: links, and what workflows have written there
      </label>
      <ol className="mb-2 space-y-1.5">
        {setting.rungs.map(({ path, identifies }, at) => (
          <li key={path} className="flex flex-wrap items-center gap-2">
            <span className="w-5 text-right text-ink-2">{at + 1}.</span>
            <span className="min-w-[140px] font-medium">{labelOf(path)}</span>
            <Select
              aria-label={`What ${labelOf(path)} tells`}
              value={identifies ? 'one' : 'several'}
              onChange={(event) =>
                setSetting({
                  ...setting,
                  rungs: setting.rungs.map((one) =>
                    one.path === path ? { ...one, identifies: event.target.value === 'one' } : one,
                  ),
                })
              }
              choices={[
                { value: 'one', label: 'belongs to one record: a second is a double' },
                { value: 'several', label: 'several may share it: only where it’s clear' },
              ]}
            />
            <Button
              look="quiet"
              onClick={() => setSetting({ ...setting, rungs: setting.rungs.filter((one) => one.path !== path) })}
            >
              Remove
            </Button>
          </li>
        ))}
      </ol>
      {free.length > 0 && setting.rungs.length < 6 && (
        <Select
          aria-label="Recognise by one more field"
          value=""
          onChange={(event) =>
            event.target.value &&
            setSetting({ ...setting, rungs: [...setting.rungs, { path: event.target.value, identifies: false }] })
          }
          choices={[{ value: '', label: 'then by…' }, ...free.map(({ path, label }) => ({ value: path, label }))]}
        />
      )}
      <h3 className="mt-5 mb-2 text-lg">Fields</h3>
      <table className="sheet table-fixed border border-line-1">
        <thead>
          <tr>
            <th scope="col" className="w-[22%]">
              There
            </th>
            <th scope="col">Here</th>
            <th scope="col" className="w-[46%]">
              Counts as equal
            </th>
          </tr>
        </thead>
        <tbody>
          {reconcile.fields.map((field) => (
            <tr key={field.path}>
              <td>{field.label}</td>
              <td className="text-ink-2">{field.from}</td>
              <td className="p-0.5!">
                <Select
                  aria-label={`What counts as equal for ${field.label}`}
                  className="w-full"
                  value={setting.fields[field.path] ?? notCompared}
                  onChange={(event) => compare(field.path, event.target.value)}
                  choices={[
                    ...equalities.map((one) => ({
                      value: one,
                      label: `${equalityLabels[one]}${one === field.proposed ? ' (suggested)' : ''}`,
                    })),
                    { value: notCompared, label: 'isn’t compared' },
                  ]}
                />
              </td>
            </tr>
          ))}
          {reconcile.others.map((one) => (
            <tr key={one.path} className="text-ink-2">
              <td>{one.label}</td>
              <td colSpan={2}>can’t be compared: {one.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Drawer>
  );
}
