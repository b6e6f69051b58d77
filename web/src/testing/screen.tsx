import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render } from '@testing-library/react';
import type { ReactNode } from 'react';
import { MemoryRouter } from 'react-router';

/** What a page of the browser has and jsdom hasn't: sizes, and scrolling into view. */
export function fillIn(): void {
  globalThis.ResizeObserver ??= class {
    observe(): void {}
    unobserve(): void {}
    disconnect(): void {}
  };
  Element.prototype.scrollIntoView ??= () => undefined;
  Element.prototype.hasPointerCapture ??= () => false;
}

/** Shows a component as it stands in the product, with answers that are there already, by the name of their query. */
export function show(element: ReactNode, answers: Readonly<Record<string, unknown>> = {}) {
  fillIn();
  const client = new QueryClient({
    defaultOptions: { queries: { staleTime: Number.POSITIVE_INFINITY, retry: false } },
  });
  for (const [name, answer] of Object.entries(answers)) client.setQueryData([name], answer);
  const within = (one: ReactNode) => (
    <QueryClientProvider client={client}>
      <MemoryRouter>{one}</MemoryRouter>
    </QueryClientProvider>
  );
  const shown = render(within(element));
  return { ...shown, again: (next: ReactNode) => shown.rerender(within(next)) };
}
