import { z } from 'zod';

/**
 * What has to be said of an HTTP app on top of its OpenAPI document, so that another app is a
 * description and not code. Paths inside answers are JSON Pointers.
 */
export const RestDescriptionSchema = z.object({
  /** Names the app for ever, such as `shop_counter`. */
  id: z.string().regex(/^[a-z0-9_]+$/, 'An app’s id is made of small letters, figures and underscores.'),
  title: z.string(),
  /** Where the interface is, when the person doesn't say otherwise. */
  defaultAddress: z.string().optional(),
  /** JSON:API puts fields into attributes and ids into relationships, SCIM 2.0 has several values of one attribute; here a record is flat all the same. */
  dialect: z.enum(['json_api', 'scim']).optional(),
  /** Where the app tells which record types its owner has added; each works like one of those described. */
  ownTypes: z
    .object({
      path: z.string(),
      items: z.string(),
      name: z.string(),
      singular: z.string(),
      /** What a person reads where one is chosen; its name when absent. */
      label: z.string().optional(),
      like: z.string(),
    })
    .optional(),
  /** Where the app's OpenAPI 3.1 document is, below the address. */
  openapi: z.string(),
  /** How a key is sent: `{key}` in the value stands for it. */
  auth: z.object({ header: z.string(), value: z.string() }).optional(),
  /** Signed in with a person's leave instead of a key: OAuth 2.0, authorization code with PKCE. */
  oauth: z
    .object({
      clientId: z.string(),
      /** The scopes for reading only, and for reading and writing. */
      read: z.array(z.string()),
      write: z.array(z.string()),
    })
    .optional(),
  /** Where an error's words are in its body, when they aren't problem details (RFC 9457). */
  errors: z
    .object({
      message: z.string(),
      fields: z.string().optional(),
      field: z.string(),
      reason: z.string(),
      /** How it says that another record has a value already that only one may have, and of which field that is. */
      taken: z.object({ at: z.string(), says: z.string(), field: z.string() }).optional(),
    })
    .optional(),
  /** What records stand in, such as companies; its id stands for `{place}` in paths. */
  within: z
    .object({
      path: z.string(),
      items: z.string(),
      id: z.string(),
      label: z.string(),
      /** Where it says whether whoever is signed in may see it. */
      allowed: z.string().optional(),
    })
    .optional(),
  /** What a person is asked for, such as "a key with the right to read". */
  keyHint: z.string().optional(),
  me: z.object({
    path: z.string(),
    signedInAs: z.array(z.string()),
    /** Where the app's own stable id of the account stands: of whose records are seen, not of the key that sees them. */
    account: z.string().optional(),
    mayWrite: z.string().optional(),
    sees: z.string().optional(),
  }),
  /** Sends our token under this header with each write; the app does it once. */
  idempotencyHeader: z.string().optional(),
  /** Hours for which the app remembers such a key; it never forgets one when absent. */
  keepsKeysFor: z.number().positive().optional(),
  /**
   * Seconds after which the app certainly doesn't carry out a request any more that it hasn't answered:
   * its own time-out. Without it, a write whose answer didn't come and that isn't found stays unsure.
   */
  settlesWithin: z.number().positive().optional(),
  /** How the app is asked to post what happens to its records (webhooks). */
  events: z
    .object({
      /** Subscriptions are listed, added and (with `/{id}`) removed here. */
      path: z.string(),
      items: z.string(),
      /** The names of the events of one record type; `{type}` stands for it, `{place}` for what it stands in. */
      names: z.array(z.string()).min(1),
      /** Where the answer to a new one has its id and the secret that signs what is posted. */
      id: z.string(),
      secret: z.string(),
      /** Where an event has the id of its record, and which header its own id. */
      record: z.string(),
      eventId: z.string(),
      /** By Standard Webhooks, or in a way of the app's own. */
      signature: z.literal('standard').or(
        z.object({
          header: z.string(),
          algorithm: z.enum(['sha1', 'sha256', 'sha512']),
          encoding: z.enum(['hex', 'base64']),
          prefix: z.string(),
          /** A text with {body}, and {time} and {id} where those come in headers. */
          signs: z.string(),
          timeHeader: z.string().optional(),
          idHeader: z.string().optional(),
        }),
      ),
    })
    .optional(),
  /** The statuses by which the app says that it was done; the usual ones when absent. */
  success: z
    .object({
      create: z.array(z.int()).optional(),
      update: z.array(z.int()).optional(),
      remove: z.array(z.int()).optional(),
    })
    .optional(),
  recordTypes: z.array(
    z.object({
      name: z.string(),
      singular: z.string(),
      plural: z.string(),
      /** What a person reads where it is chosen; the plural when absent. */
      label: z.string().optional(),
      /** True where there is none of it as such: the owner's own types are made after it, each for `{type}`. */
      isModel: z.boolean().optional(),
      /** The schema of a record in the document's components. */
      schema: z.string(),
      /** The schema of what may be sent; the record's own when absent. */
      inputSchema: z.string().optional(),
      id: z.string(),
      created: z.string().optional(),
      updated: z.string().optional(),
      list: z
        .object({
          path: z.string(),
          items: z.string(),
          limit: z.object({ query: z.string(), value: z.int() }).optional(),
          cursor: z.object({ query: z.string(), next: z.string() }).optional(),
          /** The next page by the address that the answer gives for it. */
          nextLink: z.string().optional(),
          /** The next page by the answer's Link header (RFC 8288). */
          linkHeader: z.boolean().optional(),
          /** Pages by their number, counted from 1; `total` is where the answer says how many there are. */
          page: z.object({ query: z.string(), total: z.string() }).optional(),
          since: z.string().optional(),
        })
        .optional(),
      /** `{id}` in a path stands for the record's id. */
      fetch: z.string().optional(),
      /** Which query parameter of the listing looks a field up. */
      find: z.record(z.string(), z.string()).optional(),
      create: z.string().optional(),
      update: z.object({ method: z.enum(['PATCH', 'PUT', 'POST']), path: z.string() }).optional(),
      remove: z.string().optional(),
      /** Makes one record of two; `{id}` is the one that stays, the body names the other. */
      merge: z.string().optional(),
      /** A yes-or-no field that puts a record away instead of removing it. */
      retired: z.string().optional(),
      /** A field of the record that keeps our token, looked up by this query parameter. */
      reference: z.object({ field: z.string(), query: z.string() }).optional(),
      /** Its records go out to somebody: the fields with whom it goes to and with its text, which is a text message. */
      message: z.object({ to: z.string(), text: z.string() }).optional(),
      /** Many new ones are taken in one call: by SCIM's own bulk request, or by a call of the app's with a result for each. */
      bulk: z
        .object({
          most: z.int().min(2).max(1000),
          call: z
            .object({
              path: z.string(),
              items: z.string(),
              results: z.string(),
              record: z.string(),
              reason: z.string(),
            })
            .optional(),
        })
        .optional(),
      /** True for who is in which group, in SCIM: it stands within the groups. */
      isMembership: z.boolean().optional(),
      /** A new record may be a draft first, hidden, or not active yet: the field that says so, and its two values. */
      draft: z
        .object({
          field: z.string(),
          draft: z.string(),
          shown: z.string(),
          /** How a person calls the one and the other: "hidden", "shown at once". */
          means: z.string(),
          otherwise: z.string(),
          /** True where the public sees it: it is a draft unless somebody says otherwise. */
          isPublic: z.boolean().optional(),
        })
        .optional(),
      /** The record's own page in the app, below the address's origin. */
      screen: z.string().optional(),
      /** Where a person makes a new one in the app. */
      newScreen: z.string().optional(),
    }),
  ),
});
export type RestDescription = z.infer<typeof RestDescriptionSchema>;
export type RestRecordType = RestDescription['recordTypes'][number];
