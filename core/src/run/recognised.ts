// How a record was recognised, and whose match is remembered.

/** Whose match is remembered, and where. */
export interface LinkSubject {
  readonly connection: string;
  /** The place that the record stands in. */
  readonly place: readonly string[];
  readonly id: string;
}

/** A record that was linked and is gone; `isLeft` when a person said that it is to stay so. */
export interface GoneLink {
  readonly id: string;
  readonly isLeft: boolean;
}

/** How the record was recognised. */
export interface MatchedBy {
  readonly how: 'link' | 'rung' | 'chosen' | 'id' | 'rule';
  readonly rung?: string;
  readonly probability?: number;
}
