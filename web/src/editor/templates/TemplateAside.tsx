import { type Field, type Filling, letterOf, type NamedField, templateFilling, type WriteStep } from '@golden/core';
import { BookMarked } from 'lucide-react';
import { useState } from 'react';
import { useTextTemplates } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { useEditor } from '../draft/context.tsx';
import { withFilling } from '../draft/edits.ts';
import { TemplatesDrawer } from './TemplatesDrawer.tsx';

interface AsideProps {
  readonly step: WriteStep;
  readonly field: Field;
  readonly names: readonly NamedField[];
}

/** Beside a longer text: which template it is, and the way to all of them. */
export function TemplateAside({ step, field, names }: AsideProps) {
  const { draft } = useEditor();
  const texts = useTextTemplates();
  const [isOpen, setOpen] = useState(false);
  const filling = step.mapping[field.path];
  const own = filling?.kind === 'text' ? filling : undefined;
  const newest = texts.data?.find(({ id }) => id === own?.template?.id);
  const put = (next: Filling): void => draft.change(withFilling(step.id, field.path, next));
  return (
    <div className="flex flex-wrap items-center gap-x-2">
      {newest && own?.template && (
        <span className="text-ink-2">
          “{newest.name}”, version {own.template.version}
        </span>
      )}
      {newest && own?.template && own.template.version < newest.version && (
        <Button look="quiet" onClick={() => put(templateFilling(draft.content, step.id, newest))}>
          Put in version {newest.version}
        </Button>
      )}
      <Button
        look="quiet"
        icon={<BookMarked size={14} strokeWidth={1.75} />}
        aria-expanded={isOpen}
        onClick={() => setOpen(true)}
      >
        Templates
      </Button>
      {isOpen && (
        <TemplatesDrawer
          names={names}
          typed={own ? letterOf(own.parts, names) : ''}
          from={newest && own?.template}
          onSaved={(id) => own && put({ ...own, template: { id, version: 1 } })}
          onUse={(text) => put(templateFilling(draft.content, step.id, text))}
          onClose={() => setOpen(false)}
        />
      )}
    </div>
  );
}
