import { type Place, takeFields, type WriteStep } from '@golden/core';
import { useCallback } from 'react';
import { call } from '../../api/client.ts';
import { useDocumentTemplates } from '../../api/queries.ts';
import { useEditor } from '../draft/context.tsx';
import { withStep } from '../draft/edits.ts';
import { editionPlace, readEditionPlace } from './edition-place.ts';

/** The edition of a template that a sentence makes its documents by. */
export interface EditionInUse {
  readonly template: string;
  readonly name: string;
  readonly number: number;
  readonly newest: number;
  /** When the newest one was added. */
  readonly at: string;
  readonly isPage: boolean;
}

/** The template of a place that makes documents; undefined for any other place, and for a template that was taken away. */
export function useEdition(target: Place): EditionInUse | undefined {
  const place = readEditionPlace(target.path[0]);
  const { data = [] } = useDocumentTemplates();
  const view = target.described.document && data.find((one) => one.id === place?.template);
  if (!view || !place) return undefined;
  const { name, edition: newest, at, ending } = view;
  return { template: view.id, name, number: place.number, newest, at, isPage: ending === '.pdf' };
}

/** Makes a sentence's documents by another edition of its template, in the same form; what is filled stays filled by its name. */
export function useTakeEdition(step: WriteStep, target: Place): (template: string, edition: number) => Promise<void> {
  const { draft } = useEditor();
  const form = readEditionPlace(target.path[0])?.form ?? '';
  return useCallback(
    async (template, edition) => {
      const path = [editionPlace({ template, number: edition, form })];
      const { described } = await call('GET /api/connections/:id/place', {
        params: { id: target.connection },
        query: { path },
      });
      const now = described as Place['described'];
      draft.change((content) =>
        takeFields(
          withStep<WriteStep>(step.id, (one) => ({ ...one, target: one.target && { ...one.target, path } }))(content),
          step.id,
          now,
          {},
        ),
      );
    },
    [draft, step.id, target.connection, form],
  );
}
