/** An edition of a template, and the form that is made of it. */
export interface EditionPlace {
  readonly template: string;
  readonly number: number;
  /** Such as `.csv`; empty for the template's own form. */
  readonly form: string;
}

/** The edition that a place of documents stands for; undefined for an open format, which has none. */
export function readEditionPlace(place = ''): EditionPlace | undefined {
  const [, template, number, form = ''] = /^(.*)@(\d+)(\.\w+)?$/.exec(place) ?? [];
  return template === undefined ? undefined : { template, number: Number(number), form };
}

/** The place of an edition in a form. */
export const editionPlace = ({ template, number, form }: EditionPlace): string => `${template}@${number}${form}`;
