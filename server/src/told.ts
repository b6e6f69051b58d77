/**
 * An error that a person is told: its message is a sentence they can act on. It knows how the
 * interface answers it (problem details, RFC 9457): the status, a stable type, and what else goes along.
 */
export abstract class Told extends Error {
  abstract readonly status: 400 | 404 | 409 | 507;
  abstract readonly type: string;

  /** What the answer holds besides the sentence. */
  get more(): Readonly<Record<string, unknown>> {
    return {};
  }
}
