import type { Context } from 'hono';
import type { z } from 'zod';

/** One route, declared once: what it takes, what it gives, what it is for. */
export interface Endpoint {
  readonly summary: string;
  readonly query?: z.ZodObject;
  readonly body?: z.ZodType;
  /** The most bytes of a body; a megabyte when absent. */
  readonly mostBody?: number;
  readonly response: z.ZodType;
}

/** The parameters in a route's name: `GET /api/runs/:id` has `id`. */
export type ParamsOf<Name extends string> = Name extends `${string}:${infer Param}/${infer Rest}`
  ? Record<Param, string> & ParamsOf<Rest>
  : Name extends `${string}:${infer Param}`
    ? Record<Param, string>
    : Record<never, string>;

type Infer<T> = T extends z.ZodType ? z.infer<T> : undefined;

/** What a route's handler is given. */
export interface Asked<Name extends string, E extends Endpoint> {
  readonly params: ParamsOf<Name>;
  readonly query: Infer<E['query']>;
  readonly body: Infer<E['body']>;
  readonly context: Context;
}

export type Handlers<Routes extends Record<string, Endpoint>> = {
  readonly [Name in keyof Routes & string]: (
    asked: Asked<Name, Routes[Name]>,
  ) => Promise<z.input<Routes[Name]['response']>>;
};

/** What the web needs to know of the routes: types only. */
export type ApiOf<Routes extends Record<string, Endpoint>> = {
  readonly [Name in keyof Routes & string]: {
    readonly params: ParamsOf<Name>;
    readonly query: Infer<Routes[Name]['query']>;
    readonly body: Infer<Routes[Name]['body']>;
    readonly response: z.infer<Routes[Name]['response']>;
  };
};
