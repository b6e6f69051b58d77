import type { FormulaFunction, Parameter, ParameterType } from '../function.ts';

/** Parameters in one line: `text:text count:number?`, optional ones with a question mark. */
export function parameters(line: string): Parameter[] {
  if (line === '') return [];
  return line.split(' ').map((one) => {
    const [name = '', type = 'any'] = one.split(':');
    const isOptional = type.endsWith('?');
    return {
      name: name.replaceAll('_', ' '),
      type: type.replace('?', '') as ParameterType,
      ...(isOptional && { isOptional }),
    };
  });
}

type Rest = Omit<FormulaFunction, 'name' | 'group' | 'parameters' | 'run' | 'returns' | 'summary'>;

/** A maker of entries for one group of functions. */
export const definer =
  (group: FormulaFunction['group']) =>
  <A extends readonly unknown[]>(
    name: string,
    line: string,
    returns: FormulaFunction['returns'],
    summary: string,
    run: (
      args: A,
      env: Parameters<NonNullable<FormulaFunction['run']>>[1],
    ) => ReturnType<NonNullable<FormulaFunction['run']>>,
    rest: Rest = {},
  ): FormulaFunction => ({
    name,
    group,
    parameters: parameters(line),
    returns,
    summary,
    run: run as unknown as NonNullable<FormulaFunction['run']>,
    ...rest,
  });
