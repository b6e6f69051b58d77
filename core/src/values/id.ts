import { z } from 'zod';

/**
 * An id that names something of a workflow: a step, a connection. Names that every object has already
 * would be found where nothing was put.
 */
export const IdSchema = z
  .string()
  .max(200)
  .regex(
    /^(?!(?:__\w+__|constructor|hasOwnProperty|isPrototypeOf|propertyIsEnumerable|toLocaleString|toString|valueOf)$)/,
    'This word can’t be an id.',
  );
