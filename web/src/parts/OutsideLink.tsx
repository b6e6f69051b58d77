import { isWebAddress } from '@golden/core';
import type { ReactNode } from 'react';

interface OutsideLinkProps {
  readonly href: string | null | undefined;
  readonly className?: string;
  readonly children: ReactNode;
}

/**
 * A link out of the application, in a page of its own that knows nothing of ours. Addresses come from
 * apps and files: one that isn't http or https stays text.
 */
export function OutsideLink({ href, className, children }: OutsideLinkProps) {
  if (!isWebAddress(href)) return <span>{children}</span>;
  return (
    <a href={href} target="_blank" rel="noopener noreferrer" className={className}>
      {children}
    </a>
  );
}
