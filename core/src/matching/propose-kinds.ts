import { readCountry } from '../values/countries.ts';
import { readDate } from '../values/dates.ts';
import type { FieldKind } from './kinds.ts';
import { companyName } from './normalise/company.ts';
import { fold } from './text/fold.ts';

/** A field by its name with some of its values, in the order of the table. */
export interface FieldSample {
  readonly name: string;
  readonly values: readonly string[];
}

/** A kind with the reason it was proposed for, for people to judge by. */
export interface KindProposal {
  readonly kind: FieldKind;
  readonly because: string;
}

/** Words of field names, joined without spaces, and what they name (common practice, several languages). */
const byName: readonly (readonly [RegExp, FieldKind])[] = [
  [/^(e-?mail|mail|emailaddress|mailaddress|epost|courriel|correo)/, 'email'],
  [/(phone|telefon|telephone|^tel|mobile|mobil|handy|^cell|^fax|telefono|gsm)/, 'phone'],
  [
    /(vat|taxnumber|taxid|^tax|ustid|steuernummer|partitaiva|piva|siret|siren|^tva|^nif$|btw|^ein$|^abn$)/,
    'tax_number',
  ],
  [/^(fname|given|first|vorname|prenom|nome|nombre|forename|firstname|givenname|voornaam|middlename)/, 'given_name'],
  [
    /^(lname|family|last|surname|nachname|nomdefamille|cognome|apellido|lastname|familyname|sname|achternaam)/,
    'family_name',
  ],
  [
    /(company|organi[sz]ation|firma|firm|employer|business|societe|azienda|empresa|bedrijf|legalname|tradename)/,
    'company',
  ],
  [/(postcode|postalcode|zip|plz|codepostal|cap$|postal)/, 'postcode'],
  [/(street|strasse|addressline|address1|^rue|^via$|straat|road)/, 'street'],
  [/(city|town|^ort$|stadt|ville|citta|ciudad|locality|suburb|plaats|woonplaats)/, 'city'],
  [/(country|^land$|pays|paese|^pais)/, 'country'],
  [/^(address|adresse|indirizzo|anschrift|adres|direccion)/, 'address'],
  [/(birth|dob|geburt|naissance|nascita|geboorte)/, 'date'],
  [/^(fullname|name|contact|contactname|person|customername|displayname)/, 'full_name'],
  [/(amount|total|price|sum|betrag|montant|importo)/, 'amount'],
];

/** Names of fields whose values number records instead of telling who they are. */
const keyNames = /^(id|key|recid|recordid|uuid|guid|rowid|nr|number|pair)$|(^|_)id$/i;

/** Whether a text has the figures of a date at all; reading all others as dates would take long. */
function isDate(value: string): boolean {
  const given = value.trim();
  const hasFigures =
    /^\d{1,4}[./\-\s]\d{1,2}[./\-\s]\d{1,4}/.test(given) || /^\d{1,2}\.? \p{L}{3,9}\.?,? \d{2,4}$/u.test(given);
  return hasFigures && readDate(given, 'UTC', 'day_first').ok;
}

/** As many values as tell what a field holds. */
const enough = 400;

function shareOf(values: readonly string[], test: (value: string) => boolean): number {
  const some = values.slice(0, enough);
  return some.length === 0 ? 0 : some.filter(test).length / some.length;
}

function isWholeWithin(low: number, high: number): (value: string) => boolean {
  return (value) => /^\d{1,4}$/.test(value.trim()) && Number(value) >= low && Number(value) <= high;
}

/** Numbers that are a part of a date each, told by the range they keep to; a few slips don't hide it. */
function partOfDate(values: readonly string[], distinct: number): FieldKind | undefined {
  const most = 0.93;
  if (distinct > 5 && shareOf(values, isWholeWithin(1850, 2100)) > most) return 'year';
  if (distinct >= 8 && shareOf(values, isWholeWithin(1, 12)) > most) return 'month';
  if (distinct >= 20 && shareOf(values, isWholeWithin(1, 31)) > most) return 'day';
  return undefined;
}

/** What the values themselves look like, whatever the field is called. */
function byValues(filled: readonly string[], distinct: number): KindProposal | undefined {
  if (shareOf(filled, (value) => /^[^@\s]+@[^@\s]+$/.test(value.trim())) > 0.8)
    return { kind: 'email', because: 'its values are e-mail addresses' };
  if (
    shareOf(
      filled,
      (value) => /^\s*(\+|00|\(?0|\(?\d)[\d\s().\-/+]{6,}/.test(value) && /[\s().\-/+]|^\+|^0/.test(value),
    ) > 0.8
  ) {
    if (shareOf(filled, isDate) > 0.8) return { kind: 'date', because: 'its values are dates' };
    return { kind: 'phone', because: 'its values look like telephone numbers' };
  }
  if (shareOf(filled, isDate) > 0.8) return { kind: 'date', because: 'its values are dates' };
  if (distinct < 300 && shareOf(filled, (value) => readCountry(value) !== undefined) > 0.8)
    return { kind: 'country', because: 'its values are countries' };
  if (shareOf(filled, (value) => companyName(value).form !== '') > 0.3)
    return { kind: 'company', because: 'many values name a legal form' };
  return undefined;
}

function proposeOne({ name, values }: FieldSample): KindProposal {
  const filled = values.filter((value) => value.trim() !== '');
  const distinct = new Set(filled.map((value) => fold(value).trim())).size;
  const plain = fold(name).replace(/[^\p{L}\p{N}]/gu, '');
  if (filled.length === 0) return { kind: 'ignore', because: 'it is empty' };
  if (keyNames.test(name) || keyNames.test(plain))
    return { kind: 'ignore', because: 'its name says that it numbers records' };
  const told = byValues(filled, distinct);
  if (told?.kind === 'email') return told;
  const named = byName.find(([pattern]) => pattern.test(plain));
  if (named) {
    // "name" of a table of firms: a third of its values end in a legal form.
    if (named[1] === 'full_name' && told?.kind === 'company') return told;
    return { kind: named[1], because: 'its name says so' };
  }
  const part = partOfDate(filled, distinct);
  if (part) return { kind: part, because: `its numbers are those of a ${part}` };
  if (told) return told;
  if (filled.length >= 50 && distinct <= Math.max(2, Math.min(20, filled.length / 20)))
    return { kind: 'ignore', because: `it has ${distinct} different values only` };
  if (distinct === filled.length && shareOf(filled, (value) => /^[\w-]+$/.test(value)) > 0.98)
    return { kind: 'ignore', because: 'each record has a value of its own' };
  const lengths = filled.reduce((sum, value) => sum + value.length, 0) / filled.length;
  if (shareOf(filled, (value) => /\d/.test(value)) > 0.8 && lengths < 20)
    return { kind: 'code', because: 'its values are short and hold digits' };
  return { kind: 'text', because: 'its values are words' };
}

/**
 * What kind each field is, from its name and its values, with the reason; a person may choose
 * otherwise. Month and day are only believed beside each other or a year.
 */
export function proposeKinds(fields: readonly FieldSample[]): KindProposal[] {
  const proposals = fields.map(proposeOne);
  const hasYear = proposals.some(({ kind }) => kind === 'year');
  const hasDay = proposals.some(({ kind }) => kind === 'day');
  const months = proposals.filter(({ kind }) => kind === 'month').length;
  const isTaken = new Set<FieldKind>();
  return proposals.map((proposal) => {
    if (!['year', 'month', 'day'].includes(proposal.kind)) return proposal;
    const isAlone = !(hasYear && months > 0 && hasDay);
    if (isAlone || isTaken.has(proposal.kind)) return { kind: 'code', because: 'its values are numbers' };
    isTaken.add(proposal.kind);
    return proposal;
  });
}
