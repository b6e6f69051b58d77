import { contrastOf, leastContrast, QuestionsSchema } from '@golden/core';
import { z } from 'zod';

/** What is set of a form: what stands on its page, and for whom it is. */
export const FormSettingSchema = z.object({
  title: z.string().trim().min(1, 'Give the form a title.').max(120),
  /** Words before the questions, and after them. */
  before: z.string().max(4000).default(''),
  after: z.string().max(4000).default(''),
  questions: QuestionsSchema.refine(
    (questions) =>
      questions.every(({ type, options = [] }) => (type !== 'choice' && type !== 'choices') || options.length > 0),
    'A question has nothing to choose from yet.',
  ),
  /** What the button says, and what is said once it was sent. */
  button: z.string().trim().min(1).max(40).default('Send'),
  thanks: z.string().max(1000).default('Thank you. It has come in.'),
  /** The colour of the button, dark enough for white words on it. */
  colour: z
    .string()
    .regex(/^#[0-9a-f]{6}$/i, 'A colour is written like #0f5b50.')
    .refine(
      (colour) => (contrastOf(colour, '#ffffff') ?? 0) >= leastContrast,
      'This colour is too light: the white words on the button could hardly be read. Choose a darker one.',
    )
    .default('#0f5b50'),
  /** By an address that can't be guessed, or by one that can be remembered. */
  access: z.enum(['link', 'anybody']).default('link'),
});
export type FormSetting = z.infer<typeof FormSettingSchema>;

/** A form that nobody has changed yet. */
export const newForm = (title: string): FormSetting =>
  FormSettingSchema.parse({
    title,
    questions: [
      { key: 'q1', label: 'Your name', type: 'text', isRequired: true },
      { key: 'q2', label: 'Your e-mail address', type: 'email', isRequired: true },
      { key: 'q3', label: 'What is it about?', type: 'long_text', isRequired: false },
    ],
  });
