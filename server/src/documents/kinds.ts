import { NotThere, type PlaceChoice } from '@golden/connectors';
import { BadPlaceholder, type Field } from '@golden/core';
import { type FormatId, formats, isFormat } from './formats/index.ts';
import { tableMaker } from './formats/table.ts';
import type { DocumentEnding } from './maker.ts';
import { officeProgram } from './office.ts';
import { type DocumentTemplates, readPageJson, type TemplateEdition } from './templates.ts';

/** The forms in which a template's documents can be made besides its own. */
const forms = ['pdf', 'csv', 'xlsx'] as const;
export type DocumentForm = (typeof forms)[number];

/** What documents are made of: an edition of a template, in its own form or another, or an open format. */
export type DocumentSource =
  | { readonly kind: 'template'; readonly edition: TemplateEdition; readonly form?: DocumentForm }
  | { readonly kind: 'format'; readonly format: FormatId };

/** A kind of document: what each takes, and what comes of it. */
export interface DocumentKind {
  /** By which a document that was made remembers it. */
  readonly template: string;
  readonly edition: number;
  /** What a document of it is called among people. */
  readonly name: string;
  readonly ending: DocumentEnding;
  readonly fields: readonly Field[];
  /** Of these, what says who the business itself is. */
  readonly ours?: Readonly<Record<string, string>> | undefined;
  readonly source: DocumentSource;
}

const formatMark = 'format:';

/** The kind of an edition in its own form. */
export const kindOf = (edition: TemplateEdition): DocumentKind => ({
  template: edition.id,
  edition: edition.number,
  name: edition.name,
  ending: edition.ending,
  fields: edition.fields,
  source: { kind: 'template', edition },
});

/**
 * The kind that a place of documents stands for: `format:invoice`, `<template>@<edition>`, or that with a form behind
 * it, as `….csv`.
 * @throws NotThere
 */
export async function kindAt(templates: DocumentTemplates, place: string): Promise<DocumentKind> {
  const format = place.startsWith(formatMark) ? place.slice(formatMark.length) : undefined;
  if (format !== undefined && isFormat(format)) {
    const { name, maker } = formats[format];
    return {
      template: place,
      edition: 0,
      name,
      ending: maker.ending,
      fields: maker.fields,
      ours: maker.ours,
      source: { kind: 'format', format },
    };
  }
  const [, id = '', number = '', formGiven] = /^(.*)@(\d+)(?:\.(\w+))?$/.exec(place) ?? [];
  const edition = await templates.edition(id, Number(number));
  if (!edition) throw new NotThere('There is no such template any more.');
  const form = forms.find((one) => one === formGiven);
  if (form === undefined) return kindOf(edition);
  const source = { kind: 'template' as const, edition, form };
  return { ...kindOf(edition), ending: `.${form}`, fields: await fieldsIn(templates, edition, form), source };
}

async function fieldsIn(
  templates: DocumentTemplates,
  edition: TemplateEdition,
  form: DocumentForm,
): Promise<readonly Field[]> {
  if (form === 'pdf') return edition.fields;
  try {
    return tableMaker(readPageJson(await templates.content(edition)), `.${form}`).fields;
  } catch (error) {
    if (error instanceof BadPlaceholder) throw new NotThere(`“${edition.name}”: ${error.message}`);
    throw error;
  }
}

/** The places of documents: the newest edition of each template in the forms that it can have, and the open formats. */
export async function documentPlaces(templates: DocumentTemplates): Promise<PlaceChoice[]> {
  const own = (await templates.list()).flatMap(({ id, name, ending, edition, hasTable }): PlaceChoice[] => {
    const place = `${id}@${edition}`;
    const as = (form: DocumentForm, what: string, remark = ''): PlaceChoice => ({
      id: `${place}.${form}`,
      label: `${name} (${what})`,
      isPlace: true,
      ...(remark !== '' && { remark }),
    });
    const plain = { id: place, label: `${name} (${ending.slice(1).toUpperCase()})`, isPlace: true };
    if (ending === '.docx')
      return [plain, as('pdf', 'PDF', officeProgram() === undefined ? withoutOffice : 'by LibreOffice')];
    return hasTable ? [plain, as('xlsx', 'its tables as XLSX'), as('csv', 'its table as CSV')] : [plain];
  });
  const open = Object.entries(formats).map(([id, { name, remark, maker }]) => ({
    id: `${formatMark}${id}`,
    label: `${name} (${maker.ending.slice(1).toUpperCase()})`,
    isPlace: true,
    remark,
  }));
  return [...own, ...open];
}

const withoutOffice = 'needs LibreOffice, which isn’t installed on this machine';
