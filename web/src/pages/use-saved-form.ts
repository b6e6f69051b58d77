import { type DefaultValues, type FieldValues, useForm } from 'react-hook-form';

/**
 * A form over what is saved on the server. When that is read anew, what a person has typed meanwhile stays; what
 * they haven't touched follows. `follow`, given what the server made of it once it is saved, ends their hold on it.
 *
 * @param saved what the server has, a value for each field; a new object of equal content changes nothing
 */
export function useSavedForm<T extends FieldValues>(saved: T) {
  const form = useForm<T>({
    defaultValues: saved as DefaultValues<T>,
    values: saved,
    resetOptions: { keepDirtyValues: true },
  });
  // Which fields were typed into is kept by the form only where somebody reads it.
  void form.formState.dirtyFields;
  return { ...form, follow: (made: T): void => form.reset(made, { keepDirtyValues: false }) };
}
