import type { Scope } from '../mapping/filling.ts';
import { mapRecord } from '../mapping/map-record.ts';
import { startId } from '../mapping/refs.ts';
import { scopeAt } from '../run/lay-out.ts';
import { takeOnPaper } from '../run/on-paper.ts';
import type { MadeOf } from '../run/plan.ts';
import { isSameValue } from '../values/coerce.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import { evaluationContextOf } from '../workflow/references.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { type Equality, formOf } from './equality.ts';
import type { Rung } from './reconciler.ts';
import { comparableFields, comparedWrite, type ReconcileSetting, stepsBefore } from './setting.ts';

/** A record as a comparison looks at it: what stands in the compared fields, and the keys by which it is recognised. */
export interface Compared {
  /** By the path of the field there; what a record here would have there. */
  readonly values: Readonly<Record<Pointer, Value>>;
  /** For each rung; '' where it has nothing. */
  readonly keys: readonly string[];
  /** What its values come to, one for each compared field. */
  readonly forms: readonly string[];
}

/** A field in which a pair differs. */
export interface FieldDifference {
  readonly path: Pointer;
  readonly label: string;
  readonly left: Value;
  readonly right: Value;
}

/** What was sent to a record there last, and what its app made of it, by field. */
export type MadeThere = Readonly<Record<Pointer, MadeOf>>;

/** Compares records here with records there by a setting. The same record always comes to the same. */
export class RecordComparison {
  /** The ways by which records are recognised, as a reconciler takes them. */
  readonly rungs: readonly Rung[];
  private readonly compared: readonly { readonly field: Field; readonly as: Equality }[];
  private readonly rungFields: readonly { readonly field: Field; readonly as: Equality }[];
  private readonly before: WorkflowVersion;
  private readonly evaluation: ReturnType<typeof evaluationContextOf>;
  private readonly mapped: readonly Field[];
  private readonly mapping: Parameters<typeof mapRecord>[0];

  /**
   * @param takenAt - the moment that TODAY and NOW mean
   * @throws CannotCompare
   */
  constructor(
    setting: ReconcileSetting,
    version: Omit<WorkflowVersion, 'content'>,
    private readonly takenAt: string,
  ) {
    const { write } = comparedWrite(setting);
    const { fields } = comparableFields(setting);
    this.compared = fields.flatMap((field) => {
      const as = setting.fields[field.path];
      return as === undefined ? [] : [{ field, as }];
    });
    const ways = setting.rungs.flatMap((rung) => {
      const field = fieldAt(fields, rung.path);
      return field ? [{ rung, field, as: recognisedAs(field) }] : [];
    });
    this.rungs = ways.map(({ rung }) => rung);
    this.rungFields = ways;
    const steps = stepsBefore(setting.content, write.id);
    this.before = { ...version, content: { ...setting.content, steps } };
    this.evaluation = evaluationContextOf(this.before, takenAt);
    const needed = new Set([...this.compared, ...this.rungFields].map(({ field }) => field.path));
    // Nothing is missing where only some of the fields are looked at.
    this.mapped = fields.filter(({ path }) => needed.has(path)).map((field) => ({ ...field, required: undefined }));
    this.mapping = Object.fromEntries(
      this.mapped.flatMap(({ path }) => (write.mapping[path] ? [[path, write.mapping[path]]] : [])),
    );
  }

  /** A record here; undefined where a condition leaves it out. */
  left(record: JsonRecord): Compared | undefined {
    const scope = this.scopeOf(record);
    if (!scope) return undefined;
    const { values, problems } = mapRecord(this.mapping, this.mapped, scope, this.evaluation);
    // What can't be written as it is stands here as it is, and differs from all that can be.
    const unread = Object.fromEntries(problems.map(({ path, given }) => [path, given ?? null]));
    return this.look({ ...values, ...unread });
  }

  /** A record there. */
  right(record: JsonRecord): Compared {
    return this.look(Object.fromEntries(this.mapped.map(({ path }) => [path, readPointer(record, path) ?? null])));
  }

  /**
   * The fields in which a pair differs. One that holds there what the app itself made of the very value that it has
   * here doesn't differ.
   */
  differences(left: Compared, right: Compared, made: readonly MadeThere[] = []): FieldDifference[] {
    return this.compared.flatMap(({ field }, at) => {
      const { path, label, type } = field;
      if (left.forms[at] === right.forms[at]) return [];
      const [here, there] = [left.values[path] ?? null, right.values[path] ?? null];
      if (isSameValue(here, there, type)) return [];
      const isOurOwn = made.some((sent) => {
        const last = sent[path];
        return last?.read !== undefined && isSameValue(last.sent, here, type) && isSameValue(last.read, there, type);
      });
      if (isOurOwn) return [];
      return [{ path, label, left: here, right: there }];
    });
  }

  private look(values: Readonly<Record<Pointer, Value>>): Compared {
    const { country, zone } = this.before.locale;
    const form = ({ field, as }: { readonly field: Field; readonly as: Equality }): string =>
      formOf(values[field.path], as, { country, zone });
    return { values, keys: this.rungFields.map(form), forms: this.compared.map(form) };
  }

  /** What is known for the write: the record, and what is worked out of it; undefined where it is left out before. */
  private scopeOf(record: JsonRecord): Scope | undefined {
    if (this.before.content.steps.length === 0) return { [startId]: record };
    const { state } = takeOnPaper(this.before, record, this.takenAt, {});
    const isLeftOut = Object.values(state.steps).some((result) => result.kind === 'left_out');
    return isLeftOut ? undefined : scopeAt(this.before.content, state.values, undefined);
  }
}

/** A key tells records apart whatever its capitals and spaces are. */
function recognisedAs(field: Field): Equality {
  switch (field.type) {
    case 'id':
      return 'exact';
    case 'phone':
      return 'phone';
    case 'integer':
    case 'decimal':
    case 'money':
      return 'number';
    default:
      return 'case';
  }
}
