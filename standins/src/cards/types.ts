/** What an attribute of a record holds. */
export type AttributeKind = 'text' | 'email' | 'phone' | 'country' | 'decimal' | 'date' | 'boolean' | 'choice';

/** One attribute of a record type. */
export interface Attribute {
  readonly name: string;
  readonly kind: AttributeKind;
  readonly isRequired?: boolean;
  readonly maxLength?: number;
  readonly options?: readonly string[];
  /** Added by the owner. */
  readonly isOwn?: boolean;
}

/** A record type: its attributes, and the record types its relationships lead to. */
export interface CardType {
  readonly name: string;
  readonly singular: string;
  readonly attributes: readonly Attribute[];
  /** Name of the relationship → record type. */
  readonly relationships: Readonly<Record<string, string>>;
  readonly isOwn?: boolean;
}

const text = (name: string, maxLength = 80): Attribute => ({ name, kind: 'text', maxLength });
const address = [
  text('street'),
  text('city', 60),
  text('postcode', 12),
  { name: 'country', kind: 'country' },
] as const satisfies readonly Attribute[];

/** The stages of a deal, in their order. */
export const stages = ['enquiry', 'visit', 'offer', 'won', 'lost'] as const;

/** The record types that the Card index comes with. */
export const builtIn: readonly CardType[] = [
  {
    name: 'companies',
    singular: 'company',
    attributes: [
      { ...text('name', 100), isRequired: true },
      { name: 'email', kind: 'email', maxLength: 120 },
      { name: 'phone', kind: 'phone', maxLength: 40 },
      ...address,
      text('taxNumber', 20),
    ],
    relationships: {},
  },
  {
    name: 'people',
    singular: 'person',
    attributes: [
      text('firstName', 60),
      { ...text('lastName', 60), isRequired: true },
      { name: 'email', kind: 'email', maxLength: 120 },
      { name: 'phone', kind: 'phone', maxLength: 40 },
      text('jobTitle', 60),
      ...address,
      { name: 'mayBeMailed', kind: 'boolean' },
    ],
    relationships: { company: 'companies' },
  },
  {
    name: 'leads',
    singular: 'lead',
    attributes: [
      { ...text('name', 100), isRequired: true },
      { name: 'email', kind: 'email', maxLength: 120 },
      { name: 'phone', kind: 'phone', maxLength: 40 },
      text('companyName', 100),
      { name: 'source', kind: 'choice', options: ['open day', 'website', 'phone', 'fair'] },
      text('note', 500),
    ],
    relationships: { person: 'people' },
  },
  {
    name: 'deals',
    singular: 'deal',
    attributes: [
      { ...text('title', 100), isRequired: true },
      { name: 'value', kind: 'decimal' },
      { name: 'stage', kind: 'choice', options: stages, isRequired: true },
      { name: 'expectedOn', kind: 'date' },
    ],
    relationships: { person: 'people', company: 'companies' },
  },
];

/** Attributes that every record has and nobody sends, but for `archived`. */
export const ownWords = ['createdAt', 'updatedAt', 'archived', 'mergedInto'] as const;
