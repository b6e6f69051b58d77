import type { InStepSetting } from '@golden/core';
import { ArrowLeftRight } from 'lucide-react';
import { useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import { type InStep, useAction, useInStep, useInSteps, useSettings } from '../api/queries.ts';
import { Actions } from '../in-step/Actions.tsx';
import { Directions } from '../in-step/Directions.tsx';
import { FieldsInStep } from '../in-step/FieldsInStep.tsx';
import { NewPair } from '../in-step/NewPair.tsx';
import { Rules } from '../in-step/Rules.tsx';
import { stateWords } from '../in-step/words.ts';
import { Button } from '../parts/Button.tsx';
import { Select } from '../parts/Field.tsx';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';

/** Pairs of places that are kept in step both ways. */
export function InStepPage() {
  const all = useInSteps();
  const [search, setSearch] = useSearchParams();
  const [isNew, setNew] = useState(false);
  const chosen = search.get('id') ?? all.data?.[0]?.id ?? '';
  if (all.error)
    return (
      <div className="p-6">
        <ProblemMessage>{all.error.message}</ProblemMessage>
      </div>
    );
  if (!all.data) return <Loading what="what is kept in step" />;
  return (
    <div className="px-5 py-4">
      <header className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2">
        <h1 className="text-2xl">In step, both ways</h1>
        {all.data.length > 1 && (
          <Select
            aria-label="Which two places"
            value={chosen}
            onChange={(event) => setSearch({ id: event.target.value })}
            choices={all.data.map((one) => ({ value: one.id, label: one.name }))}
          />
        )}
        <span className="ml-auto" />
        <Button
          look={all.data.length === 0 ? 'main' : 'plain'}
          icon={<ArrowLeftRight size={15} strokeWidth={1.75} />}
          onClick={() => setNew(true)}
        >
          Keep two places in step
        </Button>
      </header>
      {all.data.length === 0 ? (
        <EmptyState title="No two places are kept in step yet.">
          Choose the records of two apps in which people work at the same time. What is new or changes on either side
          goes to the other; where both have changed the same field, your rule decides, or you are asked.
        </EmptyState>
      ) : (
        chosen && <Pair key={chosen} id={chosen} onGone={() => setSearch({})} />
      )}
      <NewPair
        isOpen={isNew}
        onClose={() => setNew(false)}
        onMade={(id) => {
          setNew(false);
          setSearch({ id });
        }}
      />
    </div>
  );
}

function Pair({ id, onGone }: { readonly id: string; readonly onGone: () => void }) {
  const pair = useInStep(id);
  const zone = useSettings().data?.zone ?? 'utc';
  // What was chosen last counts at once; it is saved one after the other.
  const [chosen, setChosen] = useState<InStepSetting>();
  const saved = useRef<Promise<unknown>>(Promise.resolve());
  const save = useAction(async (setting: InStepSetting) => {
    const name = pair.data?.name ?? '';
    const before = saved.current.catch(() => undefined);
    saved.current = before.then(() => call('PUT /api/in-step/:id', { params: { id }, body: { name, setting } }));
    await saved.current.catch((error: unknown) => {
      setChosen(undefined);
      throw error;
    });
  });
  const change = (setting: InStepSetting): void => {
    setChosen(setting);
    save.mutate(setting);
  };
  if (pair.error) return <ProblemMessage>{pair.error.message}</ProblemMessage>;
  if (!pair.data) return <Loading what="both sides" />;
  const one = { ...pair.data, ...(chosen && withSetting(pair.data, chosen)) };
  const { here, there } = one;
  return (
    <>
      <p className="text-ink-2">
        The {here.plural} of{' '}
        <strong className="font-medium text-ink-1">{[here.app, ...here.labels].join(' → ')}</strong> and the{' '}
        {there.plural} of <strong className="font-medium text-ink-1">{[there.app, ...there.labels].join(' → ')}</strong>
        : {stateWords[one.state]}.
      </p>
      <Actions pair={one} onGone={onGone} />
      <section aria-label="Directions">
        <Directions pair={one} zone={zone} />
      </section>
      <section aria-label="Fields" className="mt-5">
        <h2 className="mb-2 text-lg">Field by field</h2>
        <FieldsInStep pair={one} onChange={change} />
      </section>
      <section aria-label="Rules" className="mt-5">
        <h2 className="mb-2 text-lg">For all records</h2>
        <Rules pair={one} onChange={change} />
      </section>
    </>
  );
}

/** A pair as it is once a setting is saved. */
const withSetting = ({ fields }: InStep, setting: InStepSetting): Pick<InStep, 'setting' | 'fields'> => ({
  setting,
  fields: fields.map((field) =>
    field.goes === 'both' ? { ...field, owner: setting.owners[field.path] ?? setting.usual } : field,
  ),
});
