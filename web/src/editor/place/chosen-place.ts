/** A place as a person has chosen it, with its app's connection. */
export interface ChosenPlace {
  readonly connection: string;
  readonly path: string[];
  readonly labels: string[];
}
