/** A key of the shop and what it may do. */
export interface ShopKey {
  readonly key: string;
  readonly name: string;
  readonly mayWrite: boolean;
}
