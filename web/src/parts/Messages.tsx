import { CircleAlert } from 'lucide-react';
import type { ReactNode } from 'react';

/** What went wrong, in a sentence, and what to do. */
export function ProblemMessage({ children, action }: { readonly children: ReactNode; readonly action?: ReactNode }) {
  return (
    <div role="alert" className="flex items-start gap-2 rounded-md bg-brick-tint px-3 py-2 text-brick">
      <CircleAlert size={16} strokeWidth={1.75} className="mt-0.5 shrink-0" aria-hidden="true" />
      <div className="min-w-0 flex-1">{children}</div>
      {action}
    </div>
  );
}

/** An empty list says what to do next. */
export function EmptyState({
  title,
  children,
  action,
}: {
  readonly title: string;
  readonly children?: ReactNode;
  readonly action?: ReactNode;
}) {
  return (
    <div className="flex flex-col items-start gap-2 rounded-lg border border-dashed border-line-1 bg-sheet px-6 py-7">
      <p className="font-serif text-lg">{title}</p>
      {children && <p className="max-w-prose text-ink-2">{children}</p>}
      {action && <div className="mt-1">{action}</div>}
    </div>
  );
}

/** Says what is being fetched. */
export const Loading = ({ what }: { readonly what: string }) => (
  <p role="status" className="px-6 py-5 text-ink-2">
    Loading {what}…
  </p>
);
