import { advance, beginItem } from '../../run/advance.ts';
import type { FieldProblem } from '../../run/outcome.ts';
import type { Found, MadeOf, Settled, Target } from '../../run/plan.ts';
import type { Answer, Effect, ItemState } from '../../run/state.ts';
import { aField } from '../../testing/workflows.ts';
import { type Pointer, readPointer, writePointer } from '../../values/pointer.ts';
import { isEmpty, isRecord, type JsonRecord, toText, type Value } from '../../values/value.ts';
import type { Place } from '../../workflow/place.ts';
import { emptyContent, type WorkflowContent } from '../../workflow/schema.ts';
import { withConsents } from '../consents.ts';
import type { Legs } from '../legs.ts';
import { proposeBack } from '../propose.ts';
import type { InStepSetting } from '../setting.ts';
import { weave } from '../weave.ts';

// Two made-up apps in memory with the same people, each with its own names and its own writing, and whoever carries
// items from one to the other.

const can = { list: true, find: true, create: true, update: true, readBack: true };

const place = (
  connection: string,
  names: Readonly<Record<'id' | 'name' | 'mail' | 'phone', string>>,
  consent: Place['described']['fields'][number],
): Place => ({
  connection,
  path: ['people'],
  labels: [connection, 'people'],
  described: {
    name: 'people',
    singular: 'person',
    plural: 'people',
    can,
    updated: '/changed',
    fields: [
      aField(`/${names.id}`, { type: 'id', readOnly: true }),
      aField(`/${names.name}`, { required: true }),
      aField(`/${names.mail}`, { type: 'email' }),
      aField(`/${names.phone}`, { type: 'phone' }),
      consent,
      aField('/changed', { type: 'instant', readOnly: true }),
    ],
  },
});

const names = {
  one: { id: 'id', name: 'name', mail: 'mail', phone: 'phone', news: 'may_be_mailed' },
  two: { id: 'key', name: 'full_name', mail: 'e_mail', phone: 'telephone', news: 'status' },
} as const;

/** The fields of the two apps that go over, the first app's first. */
export const pairs = (['name', 'mail', 'phone', 'news'] as const).map((one): readonly [Pointer, Pointer] => [
  `/${names.one[one]}`,
  `/${names.two[one]}`,
]);

const statuses = ['subscribed', 'unsubscribed', 'bounced'].map((value) => ({ value, label: value }));

export const one = place('one', names.one, aField('/may_be_mailed', { type: 'boolean', label: 'May be mailed' }));
export const two = place('two', names.two, aField('/status', { type: 'choice', options: statuses }));

/** A copy of one place into the other, as a person would have mapped it. */
function copy(from: Place, to: Place, fields: readonly (readonly [Pointer, Pointer])[], key: Pointer): WorkflowContent {
  const empty = emptyContent(`${from.connection} to ${to.connection}`);
  return {
    ...empty,
    start: { ...empty.start, source: from, on: 'added_or_changed', fromWhen: { kind: 'all' } },
    steps: [
      {
        id: 'write-1',
        kind: 'write',
        target: to,
        mode: 'create_or_update',
        key,
        mapping: Object.fromEntries(
          fields.map(([own, other]) => [other, { kind: 'field', ref: { step: 'start', path: own }, tidies: [] }]),
        ),
      },
    ],
  };
}

/** Both directions, before they are woven. */
export function legs(): Legs {
  const there = copy(one, two, pairs.slice(0, 3), '/e_mail');
  const drafted = copy(two, one, [], '/mail');
  return withConsents({ there, here: proposeBack(there, drafted) });
}

type Side = 'one' | 'two';
const other = { one: 'two', two: 'one' } as const;

/** What a person says where both have changed a field. */
export type Say = (field: FieldProblem) => Value;

/** The two apps and the memory of whoever keeps them in step. */
export class TwoApps {
  readonly apps: Readonly<Record<Side, Map<string, JsonRecord>>> = { one: new Map(), two: new Map() };
  readonly links: Readonly<Record<Side, Map<string, string>>> = { one: new Map(), two: new Map() };
  writes = 0;
  asked = 0;
  private readonly bases = new Map<string, Readonly<Record<Pointer, MadeOf>>>();
  private readonly woven: Legs;
  private readonly seen: Readonly<Record<Side, Map<string, string>>> = { one: new Map(), two: new Map() };
  private clock = Date.parse('2026-11-30T08:00:00Z');
  private made = 0;

  constructor(
    setting: InStepSetting,
    private readonly say: Say,
  ) {
    this.woven = weave(legs(), setting, 'pair-1');
  }

  /** Somebody saves a record in one of the apps. */
  save(side: Side, id: string, values: Readonly<Record<Pointer, Value>>): void {
    this.apps[side].set(id, this.stored(side, this.apps[side].get(id) ?? this.empty(side, id), values));
  }

  /** Looks at one side, and carries what has changed there since it was looked at last; our own writes are news too. */
  look(side: Side): void {
    for (const [id, record] of [...this.apps[side]]) {
      const text = JSON.stringify(record);
      if (this.seen[side].get(id) === text) continue;
      this.seen[side].set(id, text);
      this.carry(side, id, record);
    }
  }

  private empty(side: Side, id: string): JsonRecord {
    return { [names[side].id]: id };
  }

  /** The second app writes telephones its own way, and both keep the time. */
  private stored(side: Side, before: JsonRecord, values: Readonly<Record<Pointer, Value>>): JsonRecord {
    this.clock += 60_000;
    let after = before;
    for (const [path, value] of Object.entries(values)) {
      const own = side === 'two' && path === '/telephone' && !isEmpty(value) ? spaced(toText(value)) : value;
      after = writePointer(after, path, own);
    }
    return { ...after, changed: new Date(this.clock).toISOString() };
  }

  private carry(side: Side, id: string, record: JsonRecord): void {
    const content = side === 'one' ? this.woven.there : this.woven.here;
    const version = { content, locale: { zone: 'utc', country: 'GB' as const } };
    const begun: ItemState = beginItem(record, '2026-11-30T08:00:00.000Z', { sourceId: id });
    let step = advance(version, begun, { kind: 'begin' });
    for (let steps = 0; ; steps++) {
      if (steps > 40) throw new Error('An item never ends.');
      this.keep(side, id, step.settled);
      if (step.effect) step = advance(version, step.state, this.answer(side, id, step.effect));
      else if (step.outcome?.kind === 'unsettled' && step.outcome.cause === 'differs') {
        this.asked += 1;
        const { outcome, state } = step;
        const result = state.steps[outcome.step];
        const fields = result?.kind === 'unsettled' ? result.fields : [];
        const values = Object.fromEntries(fields.map((field) => [field.path, this.say(field)]));
        step = advance(version, state, { kind: 'decided', decision: { kind: 'set', step: outcome.step, values } });
      } else if (step.outcome?.kind === 'unsettled') throw new Error(`${step.outcome.cause}: ${step.outcome.message}`);
      else return;
    }
  }

  private keep(side: Side, id: string, settled: Settled | undefined): void {
    if (!settled) return;
    for (const { target, id: remote, fields } of [settled, ...(settled.also ? [settled.also] : [])]) {
      const key = `${target.connection} ${remote}`;
      this.bases.set(key, { ...this.bases.get(key), ...fields });
      if (target.connection !== side) {
        this.links[side].set(id, remote);
        this.links[other[side]].set(remote, id);
      }
    }
  }

  private found(side: Side, id: string): Found | undefined {
    const record = this.apps[side].get(id);
    const last = this.bases.get(`${side} ${id}`);
    const pairedWith = this.links[side].get(id);
    return record && { id, record, ...(last && { last }), ...(pairedWith !== undefined && { pairedWith }) };
  }

  private answer(side: Side, id: string, effect: Effect): Answer {
    switch (effect.kind) {
      case 'match': {
        const there = sideOf(effect.target);
        const linked = this.found(there, this.links[side].get(id) ?? '');
        if (linked) return { kind: 'matched', linked, tries: [] };
        const path = `/${names[there].mail}`;
        const wanted = toText(effect.known[path] ?? null).toLowerCase();
        const same = [...this.apps[there]].flatMap(([key, record]) =>
          wanted !== '' && toText(readPointer(record, path) ?? null).toLowerCase() === wanted ? [key] : [],
        );
        const candidates = same.map((key) => ({ ...(this.found(there, key) as Found), probability: 1, evidence: [] }));
        return { kind: 'matched', tries: [{ rung: effect.ladder.rungs[0]?.id ?? '', candidates }] };
      }
      case 'fetch':
        return { kind: 'fetched', found: this.found(sideOf(effect.target), effect.id) ?? null };
      case 'write': {
        this.writes += 1;
        const { write } = effect;
        const there = sideOf(write.target);
        if (saysNo(this.apps[there].get(write.id ?? ''), there) && saysYes(write.values, there))
          throw new Error('A no became a yes.');
        const key = write.id ?? `${there}-made-${++this.made}`;
        this.save(there, key, write.values);
        return { kind: 'written', id: key };
      }
      case 'readBack':
        return { kind: 'read', record: this.apps[sideOf(effect.target)].get(effect.id) ?? null };
      default:
        throw new Error(`Nobody asks for ${effect.kind} here.`);
    }
  }
}

const sideOf = ({ connection }: Pick<Target, 'connection'>): Side => (connection === 'one' ? 'one' : 'two');

/** "+44 20 7946 0018" as the second app writes it. */
const spaced = (text: string): string => `+${text.replace(/\D/g, '').replace(/^00/, '').replace(/^0/, '44')}`;

/** A record's values by the first app's fields, with telephones by their figures. */
export function plain(side: Side, record: JsonRecord): Record<string, Value> {
  return Object.fromEntries(
    pairs.map(([mine, theirs]) => {
      const value = readPointer(record, side === 'one' ? mine : theirs) ?? null;
      if (isEmpty(value)) return [mine, null];
      if (mine === '/phone' && !isRecord(value)) return [mine, spaced(toText(value))];
      return [mine, mine === '/may_be_mailed' ? (saidBy[toText(value)] ?? value) : value];
    }),
  );
}

const saidBy: Readonly<Record<string, boolean>> = { subscribed: true, unsubscribed: false };

const saysNo = (record: JsonRecord | undefined, side: Side): boolean =>
  record !== undefined && plain(side, record)['/may_be_mailed'] === false;

const saysYes = (values: Readonly<Record<Pointer, Value>>, side: Side): boolean =>
  values[side === 'one' ? '/may_be_mailed' : '/status'] === (side === 'one' ? true : 'subscribed');
