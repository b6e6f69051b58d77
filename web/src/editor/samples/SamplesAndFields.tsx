import {
  chooseAwkward,
  type Field,
  type FieldProfile,
  fetchedFields,
  isEmpty,
  type JsonRecord,
  profileFields,
  readPointer,
  toText,
  typeLabel,
} from '@golden/core';
import { BadgeCheck, Plus, RefreshCw, Scissors } from 'lucide-react';
import { Tabs } from 'radix-ui';
import { useMemo, useState } from 'react';
import { call } from '../../api/client.ts';
import { readAnew, useAction, useProfile } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { counted, formatNumber } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { clipped } from '../place/PlacePreview.tsx';
import { originWords } from './on-sheet.ts';
import { MoreSamples, SampleDrawer } from './SampleDrawer.tsx';

/** What the source gives: its records as samples, and the profile of each field. */
export function SamplesAndFields() {
  const { samples, samplesProblem, isLoadingSamples, draft, workflow } = useEditor();
  const [view, setView] = useState<'samples' | 'fields'>('samples');
  const [isOpen, setOpen] = useState(false);
  const reload = useAction(async () => {
    await call('GET /api/workflows/:id/samples', { params: { id: workflow.id }, query: { anew: 'yes' } });
    for (const name of ['samples', 'profile', 'lookups', 'counts'] as const) readAnew(name);
  });
  const { start } = draft.content;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the fields change with these only
  const fields = useMemo(() => fetchedFields(start), [start.source, start.fields]);
  if (samplesProblem) {
    return (
      <div className="px-5">
        <ProblemMessage>{samplesProblem}</ProblemMessage>
      </div>
    );
  }
  return (
    <Tabs.Root value={view} onValueChange={(name) => setView(name as typeof view)} asChild>
      <section aria-label="Samples and fields" className="border-t border-line-1">
        <div className="flex flex-wrap items-center gap-x-5 border-b border-line-1 px-5">
          <Tabs.List aria-label="Samples or fields" className="flex gap-5">
            <Tabs.Trigger value="samples" className={tabLook}>
              {counted(samples.length, 'sample')}
            </Tabs.Trigger>
            <Tabs.Trigger value="fields" className={tabLook}>
              {counted(fields.length, 'field')}
            </Tabs.Trigger>
          </Tabs.List>
          <span className="ml-auto flex items-center">
            <Button look="quiet" icon={<Plus size={14} />} onClick={() => setOpen(true)}>
              More samples
            </Button>
            <Button
              look="quiet"
              icon={<RefreshCw size={14} strokeWidth={1.75} />}
              disabled={reload.isPending}
              onClick={() => reload.mutate(undefined)}
            >
              {reload.isPending ? 'Loading…' : 'Load them again'}
            </Button>
          </span>
        </div>
        <Tabs.Content value="samples" tabIndex={-1}>
          {samples.length === 0 ? <NoSamples isLoading={isLoadingSamples} /> : <SampleTable fields={fields} />}
        </Tabs.Content>
        <Tabs.Content value="fields" tabIndex={-1}>
          {samples.length === 0 ? <NoSamples isLoading={isLoadingSamples} /> : <ProfileTable fields={fields} />}
        </Tabs.Content>
        <SampleDrawer isOpen={isOpen} onClose={() => setOpen(false)} />
      </section>
    </Tabs.Root>
  );
}

/** Nothing to show yet: because it is being fetched, or because there is none. */
function NoSamples({ isLoading }: { readonly isLoading: boolean }) {
  return (
    <div className="px-5 py-4 text-ink-2" role="status">
      {isLoading ? (
        'Loading samples…'
      ) : (
        <>
          <p className="mb-2">The source has no records yet. Listen for one, create one there, or add your own.</p>
          <MoreSamples />
        </>
      )}
    </div>
  );
}

const tabLook =
  '-mb-px border-b-2 border-transparent py-2 text-ink-2 data-[state=active]:border-pine data-[state=active]:font-semibold data-[state=active]:text-ink-1';

/** One row a sample, one column a field; the awkward ones first. */
function SampleTable({ fields }: { readonly fields: readonly Field[] }) {
  const { samples } = useEditor();
  const ordered = useMemo(() => {
    const awkward = chooseAwkward(samples, (one) => one.record as JsonRecord, fields, 12).slice(0, -1);
    const why = new Map(awkward.map((one) => [one.sample.id, one.why]));
    const own = samples.filter((one) => one.origin !== 'real');
    const first = awkward.map((one) => one.sample).filter((one) => one.origin === 'real');
    const rest = samples.filter((one) => one.origin === 'real' && !why.has(one.id));
    return [...own, ...first, ...rest].map((sample) => ({ sample, why: why.get(sample.id) ?? '' }));
  }, [samples, fields]);
  const [isWhole, setWhole] = useState(false);
  // A page of tens of thousands of cells would keep the person waiting for rows nobody has asked for.
  const few = Math.max(8, Math.min(40, Math.floor(mostCells / Math.max(1, fields.length))));
  const shown = isWhole ? ordered : ordered.slice(0, few);
  return (
    <>
      {/* A wide table scrolls sideways; the keyboard reaches it too. */}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
      <section className="overflow-x-auto" tabIndex={0} aria-label="Samples, field by field">
        <table className="sheet">
          <thead>
            <tr>
              <th scope="col">Why it is here</th>
              {fields.map((field) => (
                <th key={field.path} scope="col">
                  {field.label}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map(({ sample, why }) => (
              <tr key={sample.id}>
                <td className="max-w-[170px] truncate text-sm">
                  {sample.origin === 'real' ? (
                    <span className={why ? 'text-brass' : 'text-ink-3'}>{why || 'recent'}</span>
                  ) : (
                    <span className="text-plum">{originWords[sample.origin]}</span>
                  )}
                </td>
                {fields.map((field) => {
                  const value = readPointer(sample.record as never, field.path);
                  return (
                    <td key={field.path} className="max-w-[220px] truncate">
                      {isEmpty(value) ? <em className="text-ink-3">empty</em> : clipped(toText(value))}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {shown.length < ordered.length && (
        <Button look="quiet" className="mx-3 my-1" onClick={() => setWhole(true)}>
          Show all {formatNumber(ordered.length)}
        </Button>
      )}
    </>
  );
}

/** Cells of samples drawn before somebody asks for more. */
const mostCells = 600;

/** Which field is fit for what: type, share filled, share distinct, frequent values, examples. */
function ProfileTable({ fields }: { readonly fields: readonly Field[] }) {
  const { samples, workflow, sourceKey, draft } = useEditor();
  const ofSamples = useMemo(
    () =>
      profileFields(
        samples.map((one) => one.record as JsonRecord),
        fields,
      ),
    [samples, fields],
  );
  // The samples were chosen for being awkward; the last thousand records say truer what is usual.
  const whole = useProfile(workflow.id, sourceKey, draft.state.kind === 'saved').data;
  const profiles = whole ?? ofSamples;
  return (
    // A wide table scrolls sideways; the keyboard reaches it too.
    // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
    <section className="overflow-x-auto" tabIndex={0} aria-label="Fields and what they hold">
      <table className="sheet">
        <thead>
          <tr>
            <th scope="col">Field</th>
            <th scope="col">Type</th>
            <th scope="col" className="text-right!">
              Filled
            </th>
            <th scope="col" className="text-right!">
              Distinct
            </th>
            <th scope="col">Good to match by</th>
            <th scope="col">Most frequent</th>
            <th scope="col">Examples</th>
          </tr>
        </thead>
        <tbody>
          {profiles.map((profile) => (
            <ProfileRow key={profile.field.path} profile={profile} />
          ))}
        </tbody>
      </table>
      <p className="px-3 py-1.5 text-sm text-ink-2" role="status">
        {whole
          ? `Over the last ${formatNumber(whole[0]?.count ?? 0)} records.`
          : 'From the samples; more records are being read…'}
      </p>
    </section>
  );
}

const percent = (share: number): string => `${Math.round(share * 100)}%`;
const fitnessWords = { fit: 'yes', weak: 'nearly', unfit: '–' } as const;

function ProfileRow({ profile }: { readonly profile: FieldProfile }) {
  const { field, looksLike, frequent, fitness } = profile;
  const type = looksLike === field.type ? typeLabel(field) : `${typeLabel(field)}, looks like ${looksLike}`;
  // Values that are all different have no frequent ones worth a line.
  const repeated = frequent.filter((one) => one.count > 1).slice(0, 3);
  return (
    <tr>
      <td className="whitespace-nowrap font-medium">
        {field.label}
        {profile.isCutShort && (
          <button
            type="button"
            className="ml-1.5 inline-flex min-h-6 cursor-help items-center gap-1 text-sm font-normal text-brick"
            data-hint="The source seems to give only the beginning of longer texts."
          >
            <Scissors size={12} aria-hidden="true" /> cut short
          </button>
        )}
      </td>
      <td className="whitespace-nowrap text-ink-2">{type}</td>
      <td className="text-right">{percent(profile.filled)}</td>
      <td className="text-right">{percent(profile.distinct)}</td>
      <td className={fitness === 'fit' ? 'text-pine' : 'text-ink-2'}>
        <span className="inline-flex items-center gap-1">
          {fitness === 'fit' && <BadgeCheck size={14} strokeWidth={1.75} aria-hidden="true" />}
          {fitnessWords[fitness]}
        </span>
      </td>
      <td className="max-w-[240px] truncate">
        {repeated.map((one, at) => (
          <span key={one.value}>
            {at > 0 && ', '}
            {one.value} <span className="text-ink-2">{one.count}</span>
          </span>
        ))}
        {repeated.length === 0 && <span className="text-ink-3">–</span>}
      </td>
      <td className="max-w-[260px] truncate text-ink-2">{profile.examples.join(', ') || '–'}</td>
    </tr>
  );
}
