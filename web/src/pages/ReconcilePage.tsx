import { equalityLabels } from '@golden/core';
import { FileDown, GitCompareArrows, Merge, RotateCcw, Settings2, Square, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import {
  type Reconcile,
  type ReconcileRow,
  useAction,
  useReconcile,
  useReconciles,
  useSettings,
} from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { downloadBase64 } from '../parts/download.ts';
import { Select } from '../parts/Field.tsx';
import { counted, formatInstant, formatNumber, formatSeconds } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { NewComparison } from '../reconcile/NewComparison.tsx';
import { RepairDrawer } from '../reconcile/RepairDrawer.tsx';
import { RowDrawer } from '../reconcile/RowDrawer.tsx';
import { Rows } from '../reconcile/Rows.tsx';
import { SettingDrawer } from '../reconcile/SettingDrawer.tsx';
import { AllTheSame, isAllTheSame, Sums } from '../reconcile/Sums.tsx';
import { sideNames } from '../reconcile/sides.ts';

/** Whether two places hold the same: what differs, what is missing, what is doubled, and putting it right. */
export function ReconcilePage() {
  const all = useReconciles();
  const [search, setSearch] = useSearchParams();
  const [isNew, setNew] = useState(false);
  const chosen = search.get('id') ?? all.data?.[0]?.id ?? '';
  if (all.error)
    return (
      <div className="p-6">
        <ProblemMessage>{all.error.message}</ProblemMessage>
      </div>
    );
  if (!all.data) return <Loading what="the comparisons" />;
  return (
    <div className="px-5 py-4">
      <header className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2">
        <h1 className="text-2xl">Are these the same?</h1>
        {all.data.length > 1 && (
          <Select
            aria-label="Which comparison"
            value={chosen}
            onChange={(event) => setSearch({ id: event.target.value })}
            choices={all.data.map((one) => ({ value: one.id, label: one.name }))}
          />
        )}
        <span className="ml-auto" />
        <Button
          look={all.data.length === 0 ? 'main' : 'plain'}
          icon={<GitCompareArrows size={15} strokeWidth={1.75} />}
          onClick={() => setNew(true)}
        >
          Compare two places
        </Button>
      </header>
      {all.data.length === 0 ? (
        <EmptyState title="Nothing is compared yet.">
          Choose the records of two apps. Which agree, which differ in which field, which are missing on either side and
          which are doubled is told, and can be put right from here. Comparing changes nothing.
        </EmptyState>
      ) : (
        chosen && <Compared key={chosen} id={chosen} onGone={() => setSearch({})} />
      )}
      <NewComparison
        isOpen={isNew}
        onClose={() => setNew(false)}
        onBegun={(id) => {
          setNew(false);
          setSearch({ id });
        }}
      />
    </div>
  );
}

function Compared({ id, onGone }: { readonly id: string; readonly onGone: () => void }) {
  const reconcile = useReconcile(id);
  const zone = useSettings().data?.zone ?? 'utc';
  const navigate = useNavigate();
  const [kind, setKind] = useState<ReconcileRow['kind']>();
  const [field, setField] = useState<string>();
  const [row, setRow] = useState<ReconcileRow>();
  const [drawer, setDrawer] = useState<'' | 'setting' | 'repair' | 'forget'>('');
  const again = useAction(() => call('POST /api/reconciles/:id/again', { params: { id } }));
  const stop = useAction(() => call('POST /api/reconciles/:id/stop', { params: { id } }));
  const forget = useAction(async () => {
    await call('DELETE /api/reconciles/:id', { params: { id } });
    onGone();
  });
  const save = useAction(async (as: 'csv' | 'xlsx') => {
    const { name, bytes } = await call('GET /api/reconciles/:id/export', { params: { id }, query: { as } });
    downloadBase64(name, bytes);
  });
  const merge = useAction(async () => {
    const made = await call('POST /api/reconciles/:id/duplicates', { params: { id } });
    await navigate(`/duplicates?search=${made.id}`);
  });
  if (reconcile.error) return <ProblemMessage>{reconcile.error.message}</ProblemMessage>;
  if (!reconcile.data) return <Loading what="the comparison" />;
  const one = reconcile.data;
  const { figures } = one;
  const isRunning = one.state === 'running';
  return (
    <>
      <Question reconcile={one} onSet={() => setDrawer('setting')} />
      <div className="mt-2 mb-3 flex flex-wrap items-center gap-2">
        {isRunning ? (
          <>
            <span role="status" className="text-ink-2">
              {underWay(one)}
            </span>
            <Button icon={<Square size={13} />} onClick={() => stop.mutate(undefined)}>
              Stop
            </Button>
          </>
        ) : (
          <>
            {figures && !isAllTheSame(figures) && (
              <Button look="main" onClick={() => setDrawer('repair')}>
                Plan the repair…
              </Button>
            )}
            {figures && figures.doubledRight > figures.doubled && (
              <Button icon={<Merge size={15} strokeWidth={1.75} />} onClick={() => merge.mutate(undefined)}>
                Merge what is doubled
              </Button>
            )}
            <Button icon={<RotateCcw size={15} strokeWidth={1.75} />} onClick={() => again.mutate(undefined)}>
              Compare again
            </Button>
          </>
        )}
        <Button look="quiet" icon={<Settings2 size={15} strokeWidth={1.75} />} onClick={() => setDrawer('setting')}>
          What is compared
        </Button>
        {figures && !isAllTheSame(figures) && (
          <>
            <Button look="quiet" icon={<FileDown size={15} strokeWidth={1.75} />} onClick={() => save.mutate('xlsx')}>
              Save as XLSX
            </Button>
            <Button look="quiet" icon={<FileDown size={15} strokeWidth={1.75} />} onClick={() => save.mutate('csv')}>
              Save as CSV
            </Button>
          </>
        )}
        <Button
          look="quiet"
          aria-label="Forget this comparison"
          data-hint="Forget this comparison"
          icon={<Trash2 size={15} strokeWidth={1.75} />}
          onClick={() => setDrawer('forget')}
        />
        {one.endedAt && !isRunning && (
          <span className="ml-auto text-sm text-ink-2">
            {formatInstant(one.endedAt, zone)}
            {figures && one.state === 'done' && ` in ${formatSeconds(figures.seconds)}`}
          </span>
        )}
      </div>
      {one.message && one.state !== 'done' && (
        <div className="mb-3">
          <ProblemMessage>{one.message}</ProblemMessage>
        </div>
      )}
      {figures && (
        <>
          <Sums reconcile={one} figures={figures} chosen={kind} onChoose={setKind} />
          <Remarks reconcile={one} figures={figures} field={field} onField={setField} />
          {isAllTheSame(figures) ? (
            <AllTheSame count={figures.agree} />
          ) : (
            <Rows
              key={`${kind ?? ''} ${field ?? ''}`}
              reconcile={one}
              kind={field === undefined ? kind : 'differ'}
              field={field}
              onOpen={setRow}
            />
          )}
        </>
      )}
      {row && <RowDrawer reconcile={one} row={row} onClose={() => setRow(undefined)} />}
      {drawer === 'setting' && <SettingDrawer reconcile={one} isOpen onClose={() => setDrawer('')} />}
      {drawer === 'repair' && figures && (
        <RepairDrawer reconcile={one} figures={figures} isOpen onClose={() => setDrawer('')} />
      )}
      <ConfirmDialog
        title="Forget this comparison"
        isOpen={drawer === 'forget'}
        onClose={() => setDrawer('')}
        confirm="Forget it"
        isBusy={forget.isPending}
        onConfirm={() => forget.mutate(undefined)}
      >
        <p>Neither app is changed, and what was put right stays so.</p>
      </ConfirmDialog>
    </>
  );
}

interface QuestionProps {
  readonly reconcile: Reconcile;
  readonly onSet: () => void;
}

/** What is compared, as a sentence; what can be set is underlined. */
function Question({ reconcile, onSet }: QuestionProps) {
  const { left, right, setting, fields } = reconcile;
  const { here, there } = sideNames(reconcile);
  const ways = setting.rungs.map(({ path }) => fields.find((one) => one.path === path)?.label ?? path);
  const recognised = [...(setting.usesLinks ? ['what is remembered'] : []), ...ways];
  const compared = Object.keys(setting.fields).length;
  return (
    <p className="max-w-[900px] font-serif text-lg">
      The {left.plural} of <b className="font-semibold">{here}</b> and the {right.plural} of{' '}
      <b className="font-semibold">{there}</b>, recognised by{' '}
      <Setting onSet={onSet}>{recognised.length > 0 ? recognised.join(', then ') : 'nothing yet'}</Setting>;{' '}
      <Setting onSet={onSet}>{counted(compared, 'field')}</Setting> compared
      {Object.values(setting.fields).includes('phone') && (
        <>
          , <Setting onSet={onSet}>{equalityLabels.phone}</Setting> counts as equal
        </>
      )}
      .
    </p>
  );
}

const Setting = ({ children, onSet }: { readonly children: string; readonly onSet: () => void }) => (
  <button type="button" onClick={onSet} className="underlined">
    {children}
  </button>
);

function underWay({ progress, left, right }: Reconcile): string {
  if (!progress) return 'Looking at both sides…';
  if (progress.phase === 'compare') return 'Comparing…';
  return `Reading ${progress.phase === 'left' ? left.app : right.app}: ${formatNumber(progress.done)}`;
}

interface RemarkProps {
  readonly reconcile: Reconcile;
  readonly figures: NonNullable<Reconcile['figures']>;
  readonly field: string | undefined;
  readonly onField: (field: string | undefined) => void;
}

/** The fields that differ most, to look at one of them, and what else is worth knowing of the sums. */
function Remarks({ reconcile, figures, field, onField }: RemarkProps) {
  const most = Object.entries(figures.byField).sort(([, one], [, other]) => other - one);
  const label = (path: string): string => reconcile.fields.find((one) => one.path === path)?.label ?? path;
  return (
    <div className="my-2.5 flex flex-wrap items-center gap-1.5 text-sm text-ink-2">
      {most.map(([path, count]) => (
        <button
          key={path}
          type="button"
          aria-pressed={field === path}
          onClick={() => onField(field === path ? undefined : path)}
          className={`min-h-6 rounded-full border px-2.5 ${field === path ? 'border-pine bg-pine-tint font-semibold text-pine' : 'border-line-1 bg-raised hover:bg-pine-faint'}`}
        >
          {label(path)} {formatNumber(count)}
        </button>
      ))}
      {figures.leftOut > 0 && <span>{formatNumber(figures.leftOut)} more are left out by a condition.</span>}
      {figures.settledMeanwhile > 0 && (
        <span>{formatNumber(figures.settledMeanwhile)} had only changed meanwhile.</span>
      )}
    </div>
  );
}
