// Numbers as the desk says them.

const small = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'];

/** A small number as a word. */
export const numberWord = (count: number): string => small[count] ?? String(count);

/** With a capital letter at its beginning. */
export const capital = (text: string): string => text.slice(0, 1).toUpperCase() + text.slice(1);
