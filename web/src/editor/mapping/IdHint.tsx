import {
  checkReadiness,
  type Field,
  isLookedUp,
  needsId,
  type Place,
  type PlacedStep,
  placeOfId,
  proposedLookup,
  singularOf,
  withLookupFor,
} from '@golden/core';
import { CircleAlert, Search } from 'lucide-react';
import { toast } from 'sonner';
import { call } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { useEditor } from '../draft/context.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';

interface HintProps {
  readonly step: PlacedStep;
  readonly target: Place;
  readonly field: Field;
  readonly samples: readonly SampleOnSheet[];
}

/**
 * What a field that wants the id of another record needs, and the lookup that finds it, put in before
 * the write from here.
 */
export function IdHint({ step, target, field, samples }: HintProps) {
  const { draft } = useEditor();
  const needs = needsId(field);
  const place = placeOfId(target, field);
  const warning = checkReadiness(draft.content).find(
    (one) => one.sentence === step.id && one.field === field.path && /stand-in|always “/.test(one.message),
  );
  if (!needs && !warning) return null;
  const add = async (): Promise<void> => {
    if (!place) return;
    try {
      const there = await call('GET /api/connections/:id/place', {
        params: { id: place.connection },
        query: { path: [...place.path] },
      });
      const labels = [...target.labels.slice(0, -1), there.described.plural];
      const looked: Place = { connection: place.connection, path: [...place.path], labels, described: there.described };
      const lookup = proposedLookup(
        draft.content,
        looked,
        samples.slice(0, 60).map((one) => one.record),
        there.first as never,
      );
      draft.change((content) => withLookupFor(content, step.id, field.path, lookup));
      toast(`A lookup was added before this step. ${field.label} is the id it finds.`, {
        action: { label: 'Undo', onClick: draft.undo },
      });
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  if (!warning && isLookedUp(draft.content, step.mapping[field.path]))
    return (
      <p className="mt-1.5 text-ink-2">
        The id of the {singularOf(field.idOf ?? 'records')} that the lookup above finds.
      </p>
    );
  return (
    <p className="mt-1.5 flex flex-wrap items-center gap-2 text-brass">
      <CircleAlert size={14} strokeWidth={1.75} aria-hidden="true" />
      <span>{warning?.message ?? `It ${needs}.`}</span>
      {place && (
        <Button icon={<Search size={14} strokeWidth={1.75} />} onClick={() => void add()}>
          Look the {singularOf(field.idOf ?? 'records')} up
        </Button>
      )}
    </p>
  );
}
