import { filter, parse } from 'scim2-parse-filter';
import { z } from 'zod';

export const patchSchema = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';

const Operations = z.object({
  schemas: z.array(z.string()),
  Operations: z
    .array(
      z.object({
        op: z.string().transform((op) => op.toLowerCase()),
        path: z.string().optional(),
        value: z.unknown().optional(),
      }),
    )
    .min(1),
});

type Resource = Record<string, unknown>;

/** A patch that can't be done, with the word that SCIM has for why (RFC 7644 section 3.12). */
export class BadPatch extends Error {
  override readonly name = 'BadPatch';
  constructor(
    readonly scimType: 'invalidSyntax' | 'invalidPath' | 'noTarget' | 'invalidValue' | 'mutability',
    detail: string,
  ) {
    super(detail);
  }
}

/** A resource after a patch (RFC 7644 section 3.5.2). @throws BadPatch */
export function patched(resource: Resource, given: unknown): Resource {
  const read = Operations.safeParse(given);
  if (!read.success) throw new BadPatch('invalidSyntax', 'This is no patch: it has no Operations.');
  const made = structuredClone(resource);
  for (const { op, path, value } of read.data.Operations) {
    if (!['add', 'replace', 'remove'].includes(op))
      throw new BadPatch('invalidSyntax', `There is no operation “${op}”.`);
    if (path === undefined) {
      if (op === 'remove') throw new BadPatch('noTarget', 'What is removed has to be named by a path.');
      for (const [name, one] of Object.entries((value ?? {}) as Resource)) put(made, [name], one, op);
    } else patchAt(made, path, value, op);
  }
  return made;
}

/** `members[value eq "2819"]`, `name.familyName`, `urn:…:User:department`. */
function patchAt(made: Resource, path: string, value: unknown, op: string): void {
  const [, list, condition, sub] = /^([\w$-]+)\[(.+)\](?:\.([\w$-]+))?$/.exec(path) ?? [];
  if (list === undefined || condition === undefined) {
    put(made, tokensOf(path), value, op);
    return;
  }
  const items = Array.isArray(made[list]) ? (made[list] as Resource[]) : [];
  let chosen: ReturnType<typeof filter>;
  try {
    chosen = filter(parse(condition));
  } catch {
    throw new BadPatch('invalidPath', `“${path}” is no path.`);
  }
  const isChosen = (one: Resource): boolean => chosen(one as never);
  if (op === 'remove' && sub === undefined) {
    made[list] = items.filter((one) => !isChosen(one));
    return;
  }
  if (!items.some(isChosen)) throw new BadPatch('noTarget', `Nothing is at “${path}”.`);
  made[list] = items.map((one) => {
    if (!isChosen(one)) return one;
    return sub === undefined ? { ...one, ...(value as Resource) } : { ...one, [sub]: value };
  });
}

function tokensOf(path: string): string[] {
  const urn = /^(urn:.+:\d+\.\d+:\w+)(?::(.+))?$/.exec(path);
  if (urn?.[1]) return [urn[1], ...(urn[2] ? urn[2].split('.') : [])];
  return path.split('.');
}

function put(made: Resource, [name = '', ...rest]: readonly string[], value: unknown, op: string): void {
  if (['id', 'meta', 'groups'].includes(name)) throw new BadPatch('mutability', `${name} can’t be changed.`);
  if (rest.length > 0) {
    const inner = { ...((made[name] ?? {}) as Resource) };
    put(inner, rest, value, op);
    made[name] = inner;
    return;
  }
  const before = made[name];
  if (op === 'remove') delete made[name];
  else if (op === 'add' && Array.isArray(before)) {
    const known = new Set(before.map((one) => JSON.stringify((one as Resource)['value'] ?? one)));
    const added = (Array.isArray(value) ? value : [value]).filter(
      (one) => !known.has(JSON.stringify((one as Resource)?.['value'] ?? one)),
    );
    made[name] = [...before, ...added];
  } else if (typeof value === 'object' && value !== null && !Array.isArray(value) && typeof before === 'object')
    made[name] = { ...before, ...value };
  else made[name] = value;
}
