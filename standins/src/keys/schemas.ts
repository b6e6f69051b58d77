import { enterpriseSchema, groupSchema, userSchema } from './resources.ts';

// What there is to be described (RFC 7643 sections 5, 6 and 7).

interface Attribute {
  readonly name: string;
  readonly type?: string;
  readonly multiValued?: boolean;
  readonly description?: string;
  readonly required?: boolean;
  readonly mutability?: string;
  readonly uniqueness?: string;
  readonly referenceTypes?: readonly string[];
  readonly subAttributes?: readonly object[];
}

const attribute = ({ name, type = 'string', ...more }: Attribute): object => ({
  name,
  type,
  multiValued: false,
  required: false,
  caseExact: false,
  mutability: 'readWrite',
  returned: 'default',
  uniqueness: 'none',
  ...more,
});

const several = (name: string, description: string): object =>
  attribute({
    name,
    type: 'complex',
    multiValued: true,
    description,
    subAttributes: [
      attribute({ name: 'value' }),
      attribute({ name: 'type' }),
      attribute({ name: 'primary', type: 'boolean' }),
    ],
  });

/** The schemas, each as a resource. */
export const schemas: readonly Record<string, unknown>[] = [
  {
    id: userSchema,
    name: 'User',
    description: 'User account',
    attributes: [
      attribute({
        name: 'userName',
        description: 'The name that somebody signs in with',
        required: true,
        uniqueness: 'server',
      }),
      attribute({
        name: 'name',
        type: 'complex',
        description: 'The parts of the person’s name',
        subAttributes: [attribute({ name: 'givenName' }), attribute({ name: 'familyName' })],
      }),
      attribute({ name: 'displayName', description: 'The name as it is shown' }),
      attribute({ name: 'title', description: 'What the person is in the firm' }),
      attribute({ name: 'active', type: 'boolean', description: 'Whether the account can be used' }),
      several('emails', 'E-mail addresses'),
      several('phoneNumbers', 'Telephone numbers'),
      attribute({
        name: 'groups',
        type: 'complex',
        multiValued: true,
        mutability: 'readOnly',
        description: 'The groups that the account is in',
        subAttributes: [
          attribute({ name: 'value', mutability: 'readOnly' }),
          attribute({ name: 'display', mutability: 'readOnly' }),
        ],
      }),
    ],
  },
  {
    id: groupSchema,
    name: 'Group',
    description: 'Group of accounts',
    attributes: [
      attribute({ name: 'displayName', required: true, description: 'What the group is called' }),
      attribute({
        name: 'members',
        type: 'complex',
        multiValued: true,
        description: 'The accounts in it',
        subAttributes: [
          attribute({ name: 'value', mutability: 'immutable' }),
          attribute({ name: 'display', mutability: 'readOnly' }),
          attribute({ name: 'type', mutability: 'immutable' }),
        ],
      }),
    ],
  },
  {
    id: enterpriseSchema,
    name: 'EnterpriseUser',
    description: 'What a firm keeps of a user besides',
    attributes: [attribute({ name: 'department', description: 'The department' })],
  },
].map((one) => ({
  schemas: ['urn:ietf:params:scim:schemas:core:2.0:Schema'],
  ...one,
  meta: { resourceType: 'Schema', location: `/Schemas/${one.id}` },
}));

/** The kinds of resource. */
export const resourceTypes: readonly object[] = [
  {
    id: 'User',
    name: 'User',
    endpoint: '/Users',
    schema: userSchema,
    schemaExtensions: [{ schema: enterpriseSchema, required: false }],
  },
  { id: 'Group', name: 'Group', endpoint: '/Groups', schema: groupSchema },
].map((one) => ({
  schemas: ['urn:ietf:params:scim:schemas:core:2.0:ResourceType'],
  ...one,
  meta: { resourceType: 'ResourceType', location: `/ResourceTypes/${one.id}` },
}));

/** Operations that are taken in one call. */
export const mostInBulk = 100;

/** What of the protocol is spoken. */
export const providerConfig: object = {
  schemas: ['urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig'],
  patch: { supported: true },
  bulk: { supported: true, maxOperations: mostInBulk, maxPayloadSize: 1_048_576 },
  filter: { supported: true, maxResults: 200 },
  changePassword: { supported: false },
  sort: { supported: false },
  etag: { supported: true },
  authenticationSchemes: [
    { type: 'oauthbearertoken', name: 'Bearer token', description: 'A key of the page “Access keys and faults”' },
  ],
  meta: { resourceType: 'ServiceProviderConfig', location: '/ServiceProviderConfig' },
};
