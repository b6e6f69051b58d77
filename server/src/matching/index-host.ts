import {
  type DecidedEvidence,
  type Duplicates,
  type FieldSample,
  findDuplicates,
  type IndexField,
  type KindProposal,
  type MatchField,
  MatchIndex,
  type MatchModel,
  MatchTable,
  type Proposal,
  proposeKinds,
  type SearchProgress,
  type Texts,
  type Weighed,
  type WeightChange,
  weightChanges,
  weightsFromDecisions,
} from '@golden/core';
import { readIndexFile, writeIndexFile } from './index-files.ts';

/** Records of a place to put into its index. */
export interface IndexedRecord {
  readonly id: string;
  readonly texts: Texts;
}

/** Records that were made or changed since, as an index that lies over a place's own. */
export interface Overlay {
  readonly name: string;
  readonly fields: readonly IndexField[];
  /** What is new in it since it was asked last. */
  readonly news: readonly IndexedRecord[];
}

/** A way of a ladder: the fields that it goes by, and how many candidates it may have. */
export interface SoughtWay {
  readonly paths: readonly string[];
  readonly isExact: boolean;
  readonly most: number;
}

/** Records that are probably one and the same. */
export interface FoundGroup {
  readonly ids: readonly string[];
  readonly probability: number;
  readonly isAsked: boolean;
}

/** What a search for duplicates gives on: plain data that crosses to the server's main thread. */
export interface FoundDuplicates {
  /** How many groups were found: `found` gives them. */
  readonly groups: number;
  readonly figures: {
    readonly records: number;
    readonly comparedPairs: number;
    readonly shareOfPairs: number;
    readonly estimatedLoss: number;
  };
  readonly model: MatchModel;
}

/**
 * What the matching worker does: it holds the indexes of places, by name, and searches for
 * duplicates. Every method takes and gives plain data, so that it runs beside the server's main
 * thread.
 */
export class IndexHost {
  private readonly indexes = new Map<string, MatchIndex>();
  private gathered: IndexedRecord[] = [];
  private lastFound: readonly FoundGroup[] = [];

  /** @param edition - tells this program from any other that would read values in another way */
  constructor(private readonly edition = '') {}

  /** Opens an index, empty; one of that name that is there already is kept. True when it is new. */
  open(name: string, fields: readonly IndexField[], model: MatchModel | null): boolean {
    if (this.indexes.has(name)) return false;
    this.indexes.set(name, new MatchIndex(fields, model ?? undefined));
    return true;
  }

  close(name: string): void {
    this.indexes.delete(name);
  }

  /**
   * Stores an index in a file, as it is now.
   * @throws what the file system says
   */
  store(name: string, file: string): void {
    writeIndexFile(file, { name, edition: this.edition }, this.at(name).stored());
  }

  /** Takes up an index from its file; false, and as it was, where the file isn't there, isn't whole or isn't of this program. */
  takeUp(name: string, file: string): boolean {
    const stored = readIndexFile(file, { name, edition: this.edition });
    if (stored) this.at(name).restore(stored);
    return stored !== undefined;
  }

  size(name: string): number {
    return this.at(name).size;
  }

  /** The ids of all records in an index. */
  ids(name: string): string[] {
    return this.at(name).recordIds();
  }

  put(name: string, records: readonly IndexedRecord[], isCounted = true): void {
    const index = this.at(name);
    for (const { id, texts } of records) index.put(id, texts, isCounted);
  }

  remove(name: string, ids: readonly string[], isCounted = true): void {
    const index = this.at(name);
    for (const id of ids) index.remove(id, isCounted);
  }

  /**
   * Takes what is new into an index that lies over another. It only proposes, and rather too many: how sure each
   * is, is weighed by the place's own index.
   */
  lay({ name, fields, news }: Overlay): void {
    this.open(name, fields, null);
    this.put(name, news, false);
  }

  /** Counts how common values are over what the index holds now. */
  settle(name: string): void {
    this.indexes.get(name)?.settle();
  }

  exact(name: string, paths: readonly string[], probe: Texts): string[] {
    return this.at(name).exact(paths, probe);
  }

  isKnown(name: string, paths: readonly string[], probe: Texts): boolean {
    return this.at(name).isKnown(paths, probe);
  }

  agreeing(name: string, paths: readonly string[], probe: Texts, records: readonly IndexedRecord[]): string[] {
    const index = this.at(name);
    return records.filter(({ texts }) => index.agrees(paths, probe, texts)).map(({ id }) => id);
  }

  propose(name: string, probe: Texts, most: number): Proposal[] {
    return this.at(name).propose(probe, most);
  }

  weigh(name: string, probe: Texts, records: readonly IndexedRecord[]): Weighed[] {
    return this.at(name).weigh(probe, records);
  }

  /**
   * The ways of a ladder one after the other, up to the first that finds somebody: the candidates of an index
   * and of what lies over it, each weighed by the texts that are held, those lying over first. Null for a way
   * of which nothing is known.
   *
   * @param over - the records that were made or changed since, where there are any
   */
  ways(name: string, over: Overlay | undefined, probe: Texts, ways: readonly SoughtWay[]): (Weighed[] | null)[] {
    if (over) this.lay(over);
    const [index, above] = [this.at(name), over && this.at(over.name)];
    const found: (Weighed[] | null)[] = [];
    for (const way of ways) {
      const weighed = wayAmong(index, above, probe, way);
      found.push(weighed);
      if (weighed && weighed.length > 0) break;
    }
    return found;
  }

  /** Weights moved by decisions, and what that changes beside the weights of the index `since`. */
  improve(
    name: string,
    decided: readonly DecidedEvidence[],
    since = name,
  ): { model: MatchModel; changes: readonly WeightChange[]; isLearnt: boolean } {
    const { model, comparisons } = this.at(name).weights();
    const improved = weightsFromDecisions(comparisons, model, decided);
    const changes = weightChanges(comparisons, this.at(since).weights().model, improved.model);
    return { model: improved.model, changes, isLearnt: model.learntFrom > 0 };
  }

  /** What kind of values each column has. */
  kinds(columns: readonly FieldSample[]): KindProposal[] {
    return proposeKinds(columns);
  }

  /** Takes some of the records among which duplicates are searched. */
  gather(records: readonly IndexedRecord[]): void {
    this.gathered.push(...records);
  }

  /**
   * Finds the duplicates among the records that were gathered, saying how far it is.
   *
   * @param distinct - pairs of ids that a person said are different
   */
  duplicates(
    fields: readonly MatchField[],
    distinct: readonly (readonly [string, string])[],
    heard: (progress: SearchProgress) => void,
  ): FoundDuplicates {
    // A search comes to the same, in whatever order the app lists.
    const { compare } = new Intl.Collator('en', { numeric: true });
    const records = this.gathered.sort((one, other) => compare(one.id, other.id));
    this.gathered = [];
    const table = new MatchTable(fields);
    for (const { texts } of records) table.add(texts);
    table.complete();
    const at = new Map(records.map(({ id }, index) => [id, index]));
    const forbidden = new Set(
      distinct.flatMap(([one, other]) => {
        const [a, b] = [at.get(one), at.get(other)];
        return a === undefined || b === undefined ? [] : [pairName(a, b)];
      }),
    );
    const search = findDuplicates(table, { mustNotLink: (a, b) => forbidden.has(pairName(a, b)) });
    let step = search.next();
    while (!step.done) {
      heard(step.value);
      step = search.next();
    }
    this.lastFound = groupsOf(step.value, forbidden, (record) => records[record]?.id ?? '');
    const { figures, model } = step.value;
    const { records: count, comparedPairs, shareOfPairs, estimatedLoss } = figures;
    return {
      groups: this.lastFound.length,
      figures: { records: count, comparedPairs, shareOfPairs, estimatedLoss },
      model,
    };
  }

  /** Some of the groups that the last search found: one that finds many doesn't give them all in one breath. */
  found(from: number, count: number): readonly FoundGroup[] {
    return this.lastFound.slice(from, from + count);
  }

  private at(name: string): MatchIndex {
    const index = this.indexes.get(name);
    if (!index) throw new Error(`There is no index “${name}”.`);
    return index;
  }
}

function wayAmong(
  index: MatchIndex,
  above: MatchIndex | undefined,
  probe: Texts,
  { paths, isExact, most }: SoughtWay,
): Weighed[] | null {
  if (isExact ? !index.isKnown(paths, probe) : !index.isAnyKnown(paths, probe)) return null;
  const among = (one: MatchIndex | undefined): string[] =>
    (isExact ? one?.exact(paths, probe) : one?.propose(probe, most).map(({ id }) => id)) ?? [];
  const records = [...new Set([...among(index), ...among(above)])].flatMap((id): IndexedRecord[] => {
    const texts = above?.textsOf(id) ?? index.textsOf(id);
    return texts ? [{ id, texts }] : [];
  });
  return index.weigh(probe, isExact ? records.filter(({ texts }) => index.agrees(paths, probe, texts)) : records);
}

const pairName = (a: number, b: number): string => (a < b ? `${a} ${b}` : `${b} ${a}`);

/** Clusters with how sure their weakest link is, and the pairs between them that are worth a question; the surest first. */
function groupsOf(
  { pairs, clusters }: Duplicates,
  forbidden: ReadonlySet<string>,
  idOf: (record: number) => string,
): FoundGroup[] {
  const members = new Map<number, number[]>();
  for (const [record, cluster] of clusters.entries()) members.set(cluster, [...(members.get(cluster) ?? []), record]);
  const least = new Map<number, number>();
  for (const { a, b, probability, verdict } of pairs) {
    const cluster = clusters[a] as number;
    if (verdict === 'same' && clusters[b] === cluster)
      least.set(cluster, Math.min(least.get(cluster) ?? 1, probability));
  }
  const groups = [
    ...[...members]
      .filter(([, records]) => records.length > 1)
      .map(([cluster, records]) => ({ records, probability: least.get(cluster) ?? 0, isAsked: false })),
    ...pairs
      .filter(({ a, b, verdict }) => verdict === 'ask' && !forbidden.has(pairName(a, b)))
      .map(({ a, b, probability }) => ({ records: [a, b], probability, isAsked: true })),
  ].sort(
    (x, y) =>
      y.probability - x.probability ||
      Number(x.isAsked) - Number(y.isAsked) ||
      (x.records[0] ?? 0) - (y.records[0] ?? 0),
  );
  return groups.map(({ records, ...group }) => ({ ...group, ids: records.map(idOf) }));
}
