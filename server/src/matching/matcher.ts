import {
  type Answer,
  type Candidate,
  type Effect,
  type Field,
  type Found,
  fieldAt,
  type GoneLink,
  type IndexField,
  judgeTries,
  kindOfField,
  type Pointer,
  pathsOfRung,
  type RecordType,
  type Rung,
  type RungTry,
  type Target,
  toText,
  type Weighed,
} from '@golden/core';
import type { Connections } from '../connections.ts';
import { isComing } from '../engine/coming.ts';
import { textsOf } from './copy.ts';
import type { Overlay } from './index-host.ts';
import type { Mirrors } from './mirrors.ts';

type MatchEffect = Extract<Effect, { kind: 'match' }>;

/** How a run and a rehearsal differ in what they see of a place. */
export interface MatchWorld {
  /** The record as it is now; null when it is gone. */
  read(target: Target, id: string): Promise<Found | null>;
  /** The record of the place that the effect's subject is remembered to be, and whether a person leaves it gone. */
  linked(effect: MatchEffect): Promise<GoneLink | undefined>;
  /** Records of the place that a person said are not the same as this one. */
  apart(target: Target, id: string): Promise<ReadonlySet<string>>;
  /**
   * The records that the place itself doesn't show, those a rehearsal has made or changed, as they lie over
   * the index of this name; undefined where there are none.
   */
  made?(target: Target, index: string, fields: readonly IndexField[]): Overlay | undefined;
  /** Whether the copy of a place was just brought up to date and stands for it: the app isn't asked then. */
  isCopied?(target: Target): boolean;
  /** Resolves when the first of these that is only coming has arrived; undefined when all are there. */
  coming?(target: Target, ids: readonly string[]): Promise<void> | undefined;
}

/** A look-alike was on its way, and has ended now: everything is looked for anew. */
class LookAgain extends Error {
  override readonly name = 'LookAgain';
}

const nobody: ReadonlySet<string> = new Set();

/** Candidates that are read afresh for one way. */
const mostRead = 8;

/**
 * Answers what the ways of a ladder come to. The index only proposes; each candidate is read afresh
 * before it is weighed, and the ways are gone on with only until one has an answer.
 */
export class Matcher {
  constructor(
    private readonly mirrors: Mirrors,
    private readonly connections: Connections,
  ) {}

  async answer(effect: MatchEffect, world: MatchWorld): Promise<Answer> {
    const { target } = effect;
    const gone = await world.linked(effect);
    const linked = gone && (await world.read(target, gone.id));
    if (linked) return { kind: 'matched', linked, tries: [] };
    const connector = await this.connections.connector(target.connection);
    const described = await connector.describe(target.path);
    if (described.can.list && !world.isCopied?.(target)) await this.mirrors.sync(target);
    // Who isn't the one that was linked isn't the one now that it is gone, either.
    const apart = gone ? await world.apart(target, gone.id) : nobody;
    for (;;) {
      try {
        return { kind: 'matched', tries: await this.tryRungs(effect, described, world, apart), ...(gone && { gone }) };
      } catch (error) {
        if (!(error instanceof LookAgain)) throw error;
      }
    }
  }

  private async tryRungs(
    effect: MatchEffect,
    described: RecordType,
    world: MatchWorld,
    apart: ReadonlySet<string>,
  ): Promise<RungTry[]> {
    const tries: RungTry[] = [];
    const isFound = (): boolean => judgeTries(effect.ladder, tries).kind !== 'none';
    const { rungs } = effect.ladder;
    while (tries.length < rungs.length && !isFound()) {
      const left = rungs.slice(tries.length);
      const next = world.isCopied?.(effect.target)
        ? await this.tryCopied(effect, left, described, world, apart)
        : [await this.tryRung(effect, left[0] as Rung, described, world, apart)];
      for (const one of next) if (!isFound()) tries.push(one);
    }
    return tries;
  }

  /** What ways find in a copy that stands for its place, up to the first that finds somebody: asked in one go. */
  private async tryCopied(
    effect: MatchEffect,
    rungs: readonly Rung[],
    described: RecordType,
    world: MatchWorld,
    apart: ReadonlySet<string>,
  ): Promise<RungTry[]> {
    const { target, known, ladder } = effect;
    const fields = indexFieldsOf(ladder.rungs, effect.about ?? Object.keys(known), described);
    const index = await this.mirrors.index(target, fields, weightsIn(ladder.rungs));
    const own = world.made?.(target, index, fields);
    const ways = rungs.map((rung) => ({ paths: pathsOfRung(rung), isExact: rung.kind === 'exact', most: mostRead }));
    const probe = fields.map(({ path }) => toText(known[path]));
    const found = await this.mirrors.worker.host.ways(index, own, probe, ways);
    return Promise.all(
      found.map(async (weighed, at): Promise<RungTry> => {
        const rung = rungs[at] as Rung;
        if (!weighed) return { rung: rung.id, isEmpty: true, candidates: [] };
        const others = weighed.filter(({ id }) => !apart.has(id));
        const worth = worthReading(others, rung);
        const there = await this.readAll(
          target,
          worth.map(({ id }) => id),
          world,
        );
        return { rung: rung.id, candidates: candidatesOf(worth, there, rung) };
      }),
    );
  }

  /** What one way finds; also what a worksheet shows of it. */
  private async tryRung(
    effect: MatchEffect,
    rung: Rung,
    described: RecordType,
    world: MatchWorld,
    apart: ReadonlySet<string>,
  ): Promise<RungTry> {
    const { target, known } = effect;
    const { rungs } = effect.ladder;
    const fields = indexFieldsOf(rungs, effect.about ?? Object.keys(known), described);
    const index = await this.mirrors.index(target, fields, weightsIn(rungs));
    const { host } = this.mirrors.worker;
    const probe = fields.map(({ path }) => toText(known[path]));
    const paths = pathsOfRung(rung);
    const isBlank = (path: Pointer): boolean => toText(known[path]) === '';
    if (rung.kind === 'exact' ? paths.some(isBlank) : paths.every(isBlank))
      return { rung: rung.id, isEmpty: true, candidates: [] };
    if (rung.kind === 'exact' && !(await host.isKnown(index, paths, probe)))
      return { rung: rung.id, isEmpty: true, candidates: [] };
    const own = world.made?.(target, index, fields);
    if (own) await host.lay(own);
    const among = async (name: string): Promise<string[]> =>
      rung.kind === 'exact'
        ? host.exact(name, paths, probe)
        : (await host.propose(name, probe, mostRead)).map(({ id }) => id);
    const proposed = [...(await among(index)), ...(own ? await among(own.name) : [])];
    const coming = world.coming?.(target, proposed);
    if (coming) {
      await coming;
      throw new LookAgain();
    }
    const ids = new Set(proposed.filter((id) => !isComing(id)));
    if (rung.kind === 'exact') for (const id of await this.askApp(effect, rung, described)) ids.add(id);
    const asked = [...ids].filter((id) => !apart.has(id)).slice(0, mostRead * 2);
    const there = await this.readAll(target, asked, world);
    const records = there.map(({ id, record }) => ({ id, texts: textsOf(record, fields) }));
    const kept =
      rung.kind === 'exact'
        ? new Set(await host.agreeing(index, paths, probe, records))
        : new Set(records.map(({ id }) => id));
    const weighed = await host.weigh(
      index,
      probe,
      records.filter(({ id }) => kept.has(id)),
    );
    return { rung: rung.id, candidates: candidatesOf(weighed, there, rung) };
  }

  /** The app itself is asked as well, where it can look one of the fields up: its copy here may be a moment behind. */
  private async askApp(
    { target, known }: MatchEffect,
    rung: Extract<Rung, { kind: 'exact' }>,
    described: RecordType,
  ): Promise<string[]> {
    const asked = rung.fields.find((path) => described.can.find && (described.findBy?.includes(path) ?? false));
    if (!asked) return [];
    const connector = await this.connections.connector(target.connection);
    const found = await connector.find(target.path, { path: asked, value: known[asked] ?? null });
    return found.map(({ id }) => id);
  }

  private async readAll(target: Target, ids: readonly string[], world: MatchWorld): Promise<Found[]> {
    const read = await Promise.all(ids.map((id) => world.read(target, id)));
    return read.filter((one) => one !== null);
  }
}

/** Those that are worth a look, the likeliest first. */
function worthReading(weighed: readonly Weighed[], rung: Rung): Weighed[] {
  return weighed
    .filter(({ probability }) => rung.kind === 'exact' || probability >= 0.02)
    .sort((x, y) => y.probability - x.probability || (x.id < y.id ? -1 : 1))
    .slice(0, mostRead);
}

/** Each of them as it is now, where it is still there. */
function candidatesOf(weighed: readonly Weighed[], there: readonly Found[], rung: Rung): Candidate[] {
  return worthReading(weighed, rung).flatMap(({ id, probability, evidence }): Candidate[] => {
    const found = there.find((one) => one.id === id);
    return found ? [{ ...found, probability, evidence }] : [];
  });
}

/** The weights that all ways of a step are weighed with. */
const weightsIn = (rungs: readonly Rung[]): number | undefined =>
  rungs.flatMap((rung) => (rung.kind === 'alike' && rung.weights !== undefined ? [rung.weights] : []))[0];

/** What was made of a ladder and a description, for as long as both count: it is asked for each record. */
const fieldsMade = new WeakMap<readonly Field[], WeakMap<readonly Rung[], Map<string, IndexField[]>>>();

function indexFieldsOf(rungs: readonly Rung[], about: readonly Pointer[], described: RecordType): IndexField[] {
  const ofPlace = fieldsMade.get(described.fields) ?? new WeakMap<readonly Rung[], Map<string, IndexField[]>>();
  const ofLadder = ofPlace.get(rungs) ?? new Map<string, IndexField[]>();
  const key = about.join('\n');
  const fields = ofLadder.get(key) ?? indexFields(rungs, about, described);
  fieldsMade.set(described.fields, ofPlace.set(rungs, ofLadder.set(key, fields)));
  return fields;
}

/**
 * The fields that the index of a step looks at: those of its ways, and what else may be known and says
 * who a record is; the same for every record of the step, so that all are weighed alike. What a way
 * calls the kind of a field counts before what its name suggests.
 */
export function indexFields(
  rungs: readonly Rung[],
  about: readonly Pointer[],
  { fields, singular }: Pick<RecordType, 'fields' | 'singular'>,
): IndexField[] {
  const chosen = new Map(
    rungs.flatMap((rung) => (rung.kind === 'alike' ? rung.fields.map(({ path, kind }) => [path, kind] as const) : [])),
  );
  const wanted = new Set([
    ...rungs.flatMap((rung) => (rung.kind === 'exact' ? rung.fields : [])),
    ...chosen.keys(),
    ...about,
  ]);
  const isOfRung = (path: string): boolean =>
    chosen.has(path) || rungs.some((rung) => rung.kind === 'exact' && rung.fields.includes(path));
  return [...wanted].sort().flatMap((path): IndexField[] => {
    const field: Field | undefined = fieldAt(fields, path);
    if (!field) return [];
    const kind = chosen.get(path) ?? kindOfField(field, singular);
    const telling = !['ignore', 'amount', 'text'].includes(kind);
    if (!telling && !isOfRung(path)) return [];
    return [{ path, label: field.label, kind: kind === 'ignore' ? 'code' : kind }];
  });
}
