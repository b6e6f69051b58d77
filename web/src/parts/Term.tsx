import { meaningOf } from './words.ts';

/** One of our words, with what it means as a hint that the pointer, the keyboard and a finger reach. */
export function Term({ children }: { readonly children: string }) {
  return (
    <button
      type="button"
      data-hint={meaningOf(children)}
      className="-my-[3px] inline-flex min-h-6 cursor-help items-center hover:underline"
    >
      {children}
    </button>
  );
}
