import {
  BadPlaceholder,
  type Field,
  fieldNamed,
  isRecord,
  isThere,
  type JsonRecord,
  toText,
  type Value,
  valueNamed,
} from '@golden/core';
import Docxtemplater, { type DXT } from 'docxtemplater';
import InspectModule from 'docxtemplater/js/inspect-module.js';
import PizZip from 'pizzip';
import { fixedDate } from './zip-date.ts';

// A template of the business, written in any program that saves DOCX (ECMA-376, part 1). {number} takes a value,
// {#lines}…{/lines} stands once for each item of a list, {#if note}…{/} stands there only if the value is filled.

/** Bytes of a template; larger ones hold pictures that nobody wants in every document. */
const mostTemplateBytes = 20 * 1024 * 1024;
/** Bytes of all parts of a template when they are unpacked. */
const mostUnpacked = 200 * 1024 * 1024;

const conditionMark = /^if\s+/;

export interface FilledDocx {
  readonly bytes: Uint8Array;
  readonly missed: readonly string[];
}

/** A template with what it takes. */
export interface DocxTemplate {
  readonly fields: readonly Field[];
  /**
   * The document for a record; names without a value stand in `missed` and are left empty.
   *
   * @param mark - what becomes of each value that is printed
   */
  fill(record: JsonRecord, mark?: (value: string) => string): FilledDocx;
}

/**
 * Reads a template.
 * @throws BadPlaceholder where it is none, or a placeholder is wrongly written
 */
export function readDocx(bytes: Uint8Array): DocxTemplate {
  const inspect = new InspectModule();
  compiled(bytes, { modules: [inspect] });
  return {
    fields: [...fieldsOf(inspect.getAllStructuredTags()).values()],
    fill: (record, mark = (value) => value) => {
      const missed = new Set<string>();
      const document = compiled(bytes, {
        parser: parserWith(mark),
        nullGetter: (part) => {
          missed.add(part.value.replace(conditionMark, ''));
          return part.module === 'loop' ? [] : '';
        },
      });
      document.render(record);
      for (const part of Object.values((document.getZip() as PizZip).files)) part.date = fixedDate;
      return { bytes: document.toBuffer({ compression: 'DEFLATE' }), missed: [...missed] };
    },
  };
}

function compiled(bytes: Uint8Array, more: DXT.ConstructorOptions): Docxtemplater {
  if (bytes.length > mostTemplateBytes)
    throw new BadPlaceholder(
      `The template has more than ${mostTemplateBytes / 1024 / 1024} MB. Make its pictures smaller.`,
    );
  try {
    const zip = new PizZip(bytes as Buffer);
    const unpacked = Object.values(zip.files).reduce((sum, part) => sum + sizeOf(part), 0);
    if (unpacked > mostUnpacked)
      throw new BadPlaceholder(`The template has more than ${mostUnpacked / 1024 / 1024} MB when it is unpacked.`);
    if (!zip.file('word/document.xml'))
      throw new BadPlaceholder('This is no DOCX document. Save it as DOCX in the program that it was written with.');
    return new Docxtemplater(zip, {
      paragraphLoop: true,
      linebreaks: true,
      stripInvalidXMLChars: true,
      errorLogging: false,
      parser: parserWith((value) => value),
      ...more,
    });
  } catch (error) {
    if (error instanceof BadPlaceholder) throw error;
    throw new BadPlaceholder(whatIsWrong(error), { cause: error });
  }
}

const sizeOf = (part: object): number =>
  (part as { readonly _data?: { readonly uncompressedSize?: number } })._data?.uncompressedSize ?? 0;

/** Values by their names; what a line lacks is taken from what stands around it. */
const parserWith =
  (mark: (value: string) => string) =>
  (tag: string): DXT.Parser => {
    const name = tag.replace(conditionMark, '');
    if (tag === '.') return { get: (scope: Value) => (isRecord(scope) ? '' : mark(toText(scope))) };
    if (name !== tag) return { get: (_scope: Value, { scopeList }) => isThere(innermost(scopeList, name)) };
    return {
      get: (scope: Value, { meta }) => {
        const value = valueIn(scope, name);
        // What nothing inside has is asked of the next record around; what is empty is a value all the same.
        if (value === undefined) return undefined;
        if (meta.part.module !== 'loop') return mark(toText(value));
        return Array.isArray(value) || isRecord(value) ? value : isThere(value);
      },
    };
  };

/** The value of that name in the innermost record that has one. */
const innermost = (scopes: readonly Value[], name: string): Value | undefined =>
  [...scopes]
    .reverse()
    .map((scope) => valueIn(scope, name))
    .find((value) => value !== undefined);

const valueIn = (scope: Value, name: string): Value | undefined =>
  isRecord(scope) ? valueNamed(scope, name) : undefined;

/** The fields that placeholders name; what stands within a condition belongs to what is around it. */
function fieldsOf(parts: readonly DXT.Part[], fields = new Map<string, Field>()): Map<string, Field> {
  for (const part of parts) {
    const inner = part['subparsed'] as readonly DXT.Part[] | undefined;
    const name = part.value.replace(conditionMark, '');
    if (name === '.') continue;
    const isCondition = name !== part.value || part['inverted'] === true;
    const known = fields.get(name);
    if (inner === undefined) {
      if (!known || known.type === 'boolean') fields.set(name, fieldNamed(name, 'text'));
    } else if (isCondition || inner.some((one) => one.value === part.value)) {
      if (!known) fields.set(name, fieldNamed(name, 'boolean'));
      fieldsOf(inner, fields);
    } else {
      const items = new Map((known?.fields ?? []).map((field) => [field.label, field]));
      fields.set(name, { ...fieldNamed(name, 'list'), fields: [...fieldsOf(inner, items).values()] });
    }
  }
  return fields;
}

interface TemplateFault {
  readonly properties?: {
    readonly id?: string;
    readonly xtag?: string;
    readonly openingtag?: string;
    readonly closingtag?: string;
    readonly errors?: readonly TemplateFault[];
  };
}

/** What is wrong with a template, as a person can put it right. */
function whatIsWrong(error: unknown): string {
  const { properties } = error as TemplateFault;
  const first = properties?.errors?.[0]?.properties ?? properties;
  const tag = first?.xtag ?? '';
  switch (first?.id) {
    case 'unclosed_tag':
      return `“{${tag}” isn’t closed. Write } after the name.`;
    case 'unopened_tag':
      return `“${tag}}” has no { before it.`;
    case 'duplicate_open_tag':
      return `“{{${tag.replace(/^\{/, '')}” has two {. Write one.`;
    case 'duplicate_close_tag':
      return `“${tag}}}” has two }. Write one.`;
    case 'unclosed_loop':
      return `The part “{#${tag}}” has no end. Write {/${tag}} where it ends.`;
    case 'unopened_loop':
      return `“{/${tag}}” ends a part that doesn’t begin. Write {#${tag}} where it begins.`;
    case 'closing_tag_does_not_match_opening_tag':
      return `The part “{#${first.openingtag ?? ''}}” is ended by “{/${first.closingtag ?? ''}}”. Both need the same name.`;
    case undefined:
      return 'This is no DOCX document, or it is damaged. Save it as DOCX in the program that it was written with.';
    default:
      return `The placeholder “{${tag}}” can’t be read where it stands. Write it anew, alone in its paragraph.`;
  }
}
