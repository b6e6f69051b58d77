import { Component, type ReactNode } from 'react';
import { Button } from './Button.tsx';
import { ProblemMessage } from './Messages.tsx';

interface BoundaryProps {
  readonly children: ReactNode;
  /** What is shown; where that changes, it is tried anew. */
  readonly page: string;
}

interface BoundaryState {
  readonly message: string | undefined;
  readonly page: string;
}

/** A page that fails says so, and how to go on; everything around it stays. */
export class ErrorBoundary extends Component<BoundaryProps, BoundaryState> {
  override state: BoundaryState = { message: undefined, page: this.props.page };

  static getDerivedStateFromError(error: unknown): { message: string } {
    return { message: error instanceof Error ? error.message : String(error) };
  }

  static getDerivedStateFromProps({ page }: BoundaryProps, state: BoundaryState): BoundaryState | null {
    return page === state.page ? null : { message: undefined, page };
  }

  override render(): ReactNode {
    const { message } = this.state;
    if (message === undefined) return this.props.children;
    return (
      <div className="max-w-[640px] p-6">
        <ProblemMessage action={<Button onClick={() => window.location.reload()}>Load it again</Button>}>
          This page could not be shown: {message}. Nothing is lost; what you typed last is kept in this browser.
        </ProblemMessage>
      </div>
    );
  }
}
