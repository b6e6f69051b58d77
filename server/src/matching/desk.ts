import { unsettledCauses } from '@golden/core';
import { z } from 'zod';

// What the desk shows, as the interface answers it: the types follow from here.

/** A record that needs a person, with what the desk's list shows of it. */
export const DecideItemSchema = z.object({
  id: z.string(),
  workflowId: z.string(),
  workflow: z.string(),
  runId: z.string(),
  title: z.string(),
  cause: z.enum(unsettledCauses),
  message: z.string(),
  step: z.string(),
  takenAt: z.string(),
  connectionId: z.string().nullable(),
  source: z.string(),
  sourceLink: z.string().nullable(),
});
export type DecideItem = z.infer<typeof DecideItemSchema>;

/** One value beside another on the desk. */
const DeskValueSchema = z.object({
  text: z.string(),
  /** What was said of it: "one typing slip". */
  said: z.string().nullable(),
  /** For (above zero) or against, in bits. */
  bits: z.number(),
  bearing: z.enum(['agrees', 'alike', 'differs', 'empty']).nullable(),
});
export type DeskValue = z.infer<typeof DeskValueSchema>;

const evidence = z.array(z.string()).readonly();

/** An unclear match as the desk shows it: field by field, what is known beside each candidate. */
export const MatchCaseSchema = z.object({
  step: z.string(),
  place: z.array(z.string()).readonly(),
  /** The app that it stands in, as its connection is called. */
  app: z.string(),
  singular: z.string(),
  why: z.string(),
  fields: z
    .array(
      z.object({ path: z.string(), label: z.string(), known: z.string(), values: z.array(DeskValueSchema).readonly() }),
    )
    .readonly(),
  candidates: z
    .array(
      z.object({
        id: z.string(),
        title: z.string(),
        /** Of the whole that the candidates and "somebody new" share. */
        probability: z.number().nullable(),
        link: z.string().nullable(),
        for: evidence,
        against: evidence,
        /** The rules that deciding like this from now on would make. */
        ruleSame: z.string().nullable(),
        ruleNew: z.string().nullable(),
      }),
    )
    .readonly(),
  /** From which share on one is taken by itself. */
  sure: z.number(),
  somebodyNew: z.number().nullable(),
  mayCreate: z.boolean(),
  mayMerge: z.boolean(),
});
export type MatchCase = z.infer<typeof MatchCaseSchema>;
